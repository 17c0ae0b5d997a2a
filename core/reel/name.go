package reel

import (
	"strings"
	"unicode"
	"unicode/utf8"
)

// MaxName is the longest a name can be, in characters (Unicode code points).
const MaxName = 200

// ShortName is as much of a name as a name may be long.
func ShortName(name string) string {
	n := 0
	for at := range name {
		if n++; n > MaxName {
			return strings.TrimSpace(name[:at])
		}
	}
	return name
}

// CleanName is a name without the blanks around it. It is a refusal when no
// name is left, or one that is too long, or that holds what shows as something
// else than it is: control characters, line breaks, and the marks that
// embed, override or isolate a direction of writing (Unicode Standard Annex 9, 2.1 to 2.4).
func CleanName(name string) (string, error) {
	name = strings.TrimSpace(name)
	switch {
	case name == "":
		return "", refuse("A name needs at least one letter.")
	case utf8.RuneCountInString(name) > MaxName:
		return "", refuse("A name has at most %d characters.", MaxName)
	case !utf8.ValidString(name):
		return "", refuse("A name is text in UTF-8.")
	case strings.ContainsFunc(name, Unprintable):
		return "", refuse("A name has no line breaks, control characters or marks that turn the direction of writing.")
	}
	return name, nil
}

// PlainName is a name from outside, such as a file's, without what no name can
// hold and no longer than one may be; "" when nothing is left.
func PlainName(name string) string {
	name = strings.Map(func(c rune) rune {
		switch {
		case c == '\t' || c == '\n' || c == '\r':
			return ' '
		case Unprintable(c):
			return -1
		}
		return c
	}, strings.ToValidUTF8(name, "\uFFFD"))
	return ShortName(strings.TrimSpace(name))
}

// Unprintable reports whether a character has no place in a name: it controls
// something, or breaks or turns the line. Joiners and plain direction marks,
// which some scripts need, are not among them.
func Unprintable(c rune) bool {
	switch c {
	case '\u2028', '\u2029', '\uFEFF':
		return true
	}
	return unicode.IsControl(c) || c >= '\u202A' && c <= '\u202E' || c >= '\u2066' && c <= '\u2069'
}
