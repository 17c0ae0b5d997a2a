// Package docs holds the texts that are pages of the program as well, in
// Markdown.
package docs

import "embed"

// Measuring explains the numbers at a seam.
//
//go:embed measuring.md
var Measuring []byte

// Glossary explains the words of the program.
//
//go:embed glossary.md
var Glossary []byte

// Pictures are those that the texts show, in the folder pictures.
//
//go:embed pictures
var Pictures embed.FS
