// Package demo holds a made-up reel, Frost Warning: a night in a plant
// nursery's glasshouse, two voices deciding whether to light the heaters. Its
// sound is computed by the program in gen and ships as FLAC.
package demo

// Line is a line of dialogue and where it was recorded.
type Line struct {
	Who   string `json:"who"`
	Take  string `json:"take"`  // recording, a file name without its ending
	Text  string `json:"text"`  //
	Speed int    `json:"speed"` // words a minute
	// Where the line lies in its recording, in samples at 48 kHz; filled in
	// by gen.
	From int64 `json:"from"`
	To   int64 `json:"to"`
}

// Script is the dialogue in the order of the reel.
var Script = []Line{
	{Who: "Warden", Take: "warden take 3", Text: "Two degrees outside, and falling.", Speed: 150},
	{Who: "Grower", Take: "grower take 2", Text: "The radio said it would stay above.", Speed: 155},
	{Who: "Warden", Take: "warden take 3", Text: "The radio isn't standing among nine hundred tomatoes.", Speed: 160},
	{Who: "Grower", Take: "grower take 2", Text: "If we light the heaters now, the paraffin is gone by four.", Speed: 160},
	{Who: "Warden", Take: "warden take 3", Text: "And if we don't, the seedlings are gone by three.", Speed: 150},
	{Who: "Grower", Take: "grower take 2", Text: "Listen. The fan has changed its note.", Speed: 140},
	{Who: "Warden", Take: "warden take 3", Text: "That is the frost on the louvres.", Speed: 145},
	{Who: "Grower", Take: "grower take 2", Text: "You always say that.", Speed: 160},
	{Who: "Warden", Take: "warden take 5", Text: "Because it always is.", Speed: 145},
	{Who: "Grower", Take: "grower take 4", Text: "Fine. Half the heaters. The north side only.", Speed: 155},
	{Who: "Warden", Take: "warden take 5", Text: "The north side, and the door shut.", Speed: 150},
	{Who: "Grower", Take: "grower take 4", Text: "I will get the matches.", Speed: 85},
	{Who: "Warden", Take: "warden take 5", Text: "They are in your pocket.", Speed: 150},
	{Who: "Grower", Take: "grower take 4", Text: "So they are.", Speed: 150},
	{Who: "Warden", Take: "warden take 5", Text: "Mind the vines on the third bench.", Speed: 150},
	{Who: "Grower", Take: "grower take 4", Text: "I planted them. I know where they are.", Speed: 150},
}
