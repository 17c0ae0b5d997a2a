// Package docs holds the texts that are pages of the program as well.
package docs

import _ "embed"

// Measuring explains the numbers at a seam, in Markdown.
//
//go:embed measuring.md
var Measuring []byte
