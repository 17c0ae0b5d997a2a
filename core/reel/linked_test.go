package reel_test

import (
	"blendseam/core/reel"
	"blendseam/core/reel/reeltest"
)

func init() {
	reel.RandomEdit, reel.RandomReel, reel.RandomPicture = reeltest.Edit, reeltest.Blank, reeltest.BlankPicture
}
