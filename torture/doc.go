// Package torture holds tests alone: they kill the server and its database
// while edits are made, and hold what is there afterwards against a client's
// own memory of the answers. BLENDSEAM_TORTURE makes them long.
package torture
