package conform

import "blendseam/core/reel"

// FileNames names the sources of a reel in a list, by the files of recordings:
// where several sources are of one file, or a source was renamed, by its own name.
func FileNames(r *reel.Reel, files map[string]string) func(reel.Source) string {
	many := map[string]int{}
	for _, src := range r.Sources {
		if !src.Shows() {
			many[src.Recording]++
		}
	}
	return func(src reel.Source) string {
		file := files[src.Recording]
		if many[src.Recording] > 1 || file == "" || !Same(src.Name, file) {
			return src.Name
		}
		return file
	}
}
