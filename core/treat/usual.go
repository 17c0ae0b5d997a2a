package treat

// Start is what the fields of a treatment hold before anything is set: it does nothing.
var Start = Settings{
	HighPass: Cut{Hz: 80}, LowPass: Cut{Hz: 10000},
	LowShelf: Shelf{Hz: 200}, HighShelf: Shelf{Hz: 5000},
	Bells: [4]Bell{{Hz: 300, Q: 1}, {Hz: 1000, Q: 1}, {Hz: 2500, Q: 1}, {Hz: 6000, Q: 1}},
}

// Named are settings that can be chosen by their name.
type Named struct {
	Name string   `json:"name"`
	Does Settings `json:"does"`
}

// Usual are settings in use, common practice: speech through a telephone line holds 300
// to 3400 Hz (the band of ITU-T G.712); rumble lies under 80 Hz; a boom under a voice
// near 200, and what makes it clear near 3000.
var Usual = func() []Named {
	telephone, rumble, clear := Start, Start, Start
	telephone.HighPass, telephone.LowPass = Cut{300, 24}, Cut{3400, 24}
	telephone.Bells[1] = Bell{1200, 4, 1}
	rumble.HighPass = Cut{80, 12}
	clear.HighPass, clear.LowShelf.DB, clear.Bells[2] = Cut{80, 12}, -3, Bell{3000, 3, 0.8}
	wall := Start
	wall.LowPass, wall.HighShelf.DB = Cut{700, 12}, -12
	return []Named{{"No rumble: high-pass 80 Hz", rumble}, {"Clearer voice", clear}, {"Telephone: 300 to 3400 Hz", telephone}, {"Through a wall", wall}}
}()
