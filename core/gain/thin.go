package gain

import "math"

// Thin leaves out nodes of a line as long as it stays within so many dB of what it
// was: the method of Ramer (1972) and of Douglas and Peucker (1973), with distances
// taken in level alone. Slopes become straight; nodes at −∞ stay.
func Thin(nodes []Node, within float64) []Node {
	if len(nodes) < 3 {
		return nodes
	}
	keep := make([]bool, len(nodes))
	keep[0], keep[len(nodes)-1] = true, true
	type part struct{ from, to int }
	for open := []part{{0, len(nodes) - 1}}; len(open) > 0; {
		p := open[len(open)-1]
		open = open[:len(open)-1]
		s := slope{a: nodes[p.from], b: nodes[p.to]}
		s.a.Eased = false
		most, at := within, -1
		for i := p.from + 1; i < p.to; i++ {
			off := math.Abs(s.db(nodes[i].At) - nodes[i].DB)
			if off > most {
				most, at = off, i
			}
		}
		if at > 0 {
			keep[at] = true
			open = append(open, part{p.from, at}, part{at, p.to})
		}
	}
	var out []Node
	for i, n := range nodes {
		if keep[i] {
			n.Eased = false
			out = append(out, n)
		}
	}
	return out
}
