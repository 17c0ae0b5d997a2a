package web

import (
	"errors"
	"fmt"
	"io/fs"
	"path"
	"strings"

	"github.com/evanw/esbuild/pkg/api"
)

// entries are the scripts that pages ask for and that import others.
var entries = []string{"app/bench.js", "pages/jobs.js", "pages/keys.js", "pages/shelf.js", "pages/text.js", "sources/page.js"}

// bundle puts in the place of each page's script one that holds what it imports.
func (e *edition) bundle(fsys fs.FS) error {
	for _, entry := range entries {
		script, sourceMap, err := bundled(fsys, entry)
		if err != nil {
			return err
		}
		e.add(entry, script)
		e.add(entry+".map", sourceMap)
	}
	return nil
}

// bundled makes one script of a page's script and all that it imports, so that
// a browser asks once and not for each of eighty files.
func bundled(fsys fs.FS, entry string) (script, sourceMap []byte, err error) {
	const room = "web" // esbuild asks us for every file, by this name space
	files := api.Plugin{Name: room, Setup: func(b api.PluginBuild) {
		b.OnResolve(api.OnResolveOptions{Filter: `.*`}, func(a api.OnResolveArgs) (api.OnResolveResult, error) {
			name := path.Join(path.Dir(a.Importer), a.Path)
			if a.Kind == api.ResolveEntryPoint {
				name = a.Path
			}
			return api.OnResolveResult{Path: name, Namespace: room}, nil
		})
		b.OnLoad(api.OnLoadOptions{Filter: `.*`, Namespace: room}, func(a api.OnLoadArgs) (api.OnLoadResult, error) {
			text, err := fs.ReadFile(fsys, a.Path)
			body := string(text)
			return api.OnLoadResult{Contents: &body, Loader: api.LoaderJS}, err
		})
	}}
	got := api.Build(api.BuildOptions{
		EntryPoints: []string{entry}, Outfile: "/" + entry, AbsWorkingDir: "/", Bundle: true, Format: api.FormatESModule, Target: api.ES2022,
		MinifyWhitespace: true, MinifySyntax: true, Sourcemap: api.SourceMapLinked, Plugins: []api.Plugin{files},
	})
	var wrong []error
	for _, m := range got.Errors {
		wrong = append(wrong, fmt.Errorf("%s: %s", entry, m.Text))
	}
	for _, f := range got.OutputFiles {
		if strings.HasSuffix(f.Path, ".map") {
			sourceMap = f.Contents
		} else {
			script = f.Contents
		}
	}
	return script, sourceMap, errors.Join(wrong...)
}
