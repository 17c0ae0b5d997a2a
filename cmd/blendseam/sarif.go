package main

import (
	"path/filepath"

	"blendseam/core/seam"
)

// rules are the findings of seams, in words.
var rules = []struct{ id, says string }{
	{"click", "A step in the wave is heard as a click"}, {"room", "The level of the room changes at the seam"}, {"struck", "The room under a struck span is at another level"},
	{"colour", "The rooms on both sides have another colour"}, {"voice", "The level of the voice changes"}, {"dip", "The level dips or swells through a blend"},
	{"hole", "There is digital silence"}, {"word", "The cut is inside a word"}, {"material", "Material is missing"},
}

// sarif is what asks for something, as the Static Analysis Results Interchange Format
// (OASIS, version 2.1.0).
func sarif(found []checkedFile) map[string]any {
	var described []any
	for _, r := range rules {
		described = append(described, map[string]any{"id": r.id, "shortDescription": map[string]any{"text": r.says}})
	}
	results, notes := []any{}, []any{}
	for _, f := range found {
		uri := filepath.ToSlash(f.File)
		if f.Error != "" {
			notes = append(notes, map[string]any{"level": "error", "message": map[string]any{"text": f.File + ": " + f.Error}})
		}
		for _, s := range f.Seams {
			level := map[seam.Verdict]string{seam.Mend: "error", seam.Check: "warning"}[s.Verdict]
			if level == "" && s.What == "material" {
				level = "warning" // it cannot be judged: its media is missing
			}
			if level == "" || s.Accepted {
				continue
			}
			results = append(results, map[string]any{
				"ruleId": s.What, "level": level,
				"message": map[string]any{"text": s.Timecode + " " + s.Title + ": " + s.Why},
				"locations": []any{map[string]any{
					"physicalLocation": map[string]any{"artifactLocation": map[string]any{"uri": uri}},
					"logicalLocations": []any{map[string]any{"name": s.Title, "fullyQualifiedName": s.Track + "/" + s.Timecode, "kind": "member"}},
				}},
				"properties": map[string]any{"sample": s.At, "findings": s.Findings},
			})
		}
	}
	run := map[string]any{
		"tool":        map[string]any{"driver": map[string]any{"name": "Blend Seam", "rules": described}},
		"results":     results,
		"invocations": []any{map[string]any{"executionSuccessful": len(notes) == 0, "toolExecutionNotifications": notes}},
	}
	return map[string]any{"$schema": "https://json.schemastore.org/sarif-2.1.0.json", "version": "2.1.0", "runs": []any{run}}
}
