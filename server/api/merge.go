package api

import (
	"context"

	"blendseam/core/reel"
	"blendseam/server/live"
)

// MergeRequest is what is merged, and the revision in which it was seen.
type MergeRequest struct {
	Base int64 `json:"base" doc:"the revision the clips were chosen in"`
	reel.Merged
}

// postMerge renders clips into one recording and puts one clip in their place, which
// sounds bit for bit as they did. The edit “unmerge” brings them back.
func (s *API) postMerge(ctx context.Context, in *struct {
	OfReel
	Body MergeRequest
}) (live.Changed, error) {
	return s.done(s.Merges.Merge(ctx, in.Reel, in.Body.Base, in.Body.Merged))
}
