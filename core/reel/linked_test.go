package reel_test

import (
	"blendseam/core/reel"
	"blendseam/core/reel/reeltest"
)

func init() {
	reel.RandomEdit, reel.RandomReel, reel.RandomPicture = reeltest.EditOrMerge, reeltest.Blank, reeltest.BlankPicture
}
