// Package accuracy holds what the program tells against what is known of
// recordings: rooms planted under recorded speech, joins made at random, levels
// computed by other means. It has tests only. They run in a short form with all
// others, and whole with BLENDSEAM_ACCURACY=1 (make accuracy), when they print
// the figures of docs/measuring.md.
package accuracy
