// Package docs holds the texts that are pages of the program as well, in
// Markdown.
package docs

import _ "embed"

// Measuring explains the numbers at a seam.
//
//go:embed measuring.md
var Measuring []byte

// Glossary explains the words of the program.
//
//go:embed glossary.md
var Glossary []byte
