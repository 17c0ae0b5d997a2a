package mix

// Stretch tells up to where, and no further than to, a span goes on as it begins at a
// place: silent by construction, as no clip sounds there, or not. It depends on places
// alone, however a reel is rendered in parts.
func (m *Mix) Stretch(from, to int64) (end int64, silent bool) {
	if end = m.silentTo(from, to); end > from {
		return end, true
	}
	for end = from; end < to; {
		was := end
		for i := range m.lanes {
			end = max(end, m.lanes[i].soundsTo(was, to))
		}
		if end == was {
			break
		}
	}
	return min(end, to), false
}

// silentTo is up to where nothing sounds from a place on; the place itself where
// something does.
func (m *Mix) silentTo(from, to int64) int64 {
	for i := range m.lanes {
		if to = m.lanes[i].silentTo(from, to); to == from {
			break
		}
	}
	return to
}

func (l *lane) silentTo(from, to int64) int64 {
	if l.treated != nil {
		at := from
		for at < to && len(l.sounding(l.treated.stream.Of(at, at+1))) == 0 {
			at = l.treated.stream.End(at)
		}
		return min(at, to)
	}
	for i := l.first(from); i < len(l.voices) && l.voices[i].from < to; i++ {
		if v := &l.voices[i]; v.to > from {
			to = max(v.from, from)
		}
	}
	return to
}

// soundsTo is up to where what sounds at a place does; the place itself where nothing
// does.
func (l *lane) soundsTo(at, to int64) int64 {
	if l.treated != nil {
		end := at
		for end < to && len(l.sounding(l.treated.stream.Of(end, end+1))) > 0 {
			end = l.treated.stream.End(end)
		}
		return end
	}
	end := at
	for _, v := range l.sounding(at, at+1) {
		end = max(end, v.to)
	}
	return end
}
