module blendseam

go 1.26.8

ignore ./node_modules

require (
	github.com/danielgtaylor/huma/v2 v2.37.2
	github.com/evanw/esbuild v0.28.2
	github.com/go-chi/chi/v5 v5.5.0
	github.com/go-sql-driver/mysql v1.10.1
	github.com/hashicorp/golang-lru/v2 v2.0.7
	github.com/mewkiz/flac v1.0.14
	github.com/pressly/goose/v3 v3.29.0
	github.com/spf13/cobra v1.10.2
	github.com/yuin/goldmark v1.8.7
	gonum.org/v1/gonum v0.17.0
)

require (
	filippo.io/edwards25519 v1.2.0 // indirect
	github.com/BurntSushi/toml v1.4.1-0.20240526193622-a339e1f7089c // indirect
	github.com/cpuguy83/go-md2man/v2 v2.0.6 // indirect
	github.com/icza/bitio v1.1.0 // indirect
	github.com/inconshreveable/mousetrap v1.1.0 // indirect
	github.com/mewkiz/pkg v0.0.0-20250417130911-3f050ff8c56d // indirect
	github.com/mewpkg/term v0.0.0-20241026122259-37a80af23985 // indirect
	github.com/mfridman/interpolate v0.0.2 // indirect
	github.com/russross/blackfriday/v2 v2.1.0 // indirect
	github.com/sethvargo/go-retry v0.5.0 // indirect
	github.com/spf13/pflag v1.0.10 // indirect
	go.uber.org/multierr v1.11.0 // indirect
	go.yaml.in/yaml/v3 v3.0.5 // indirect
	golang.org/x/exp/typeparams v0.0.0-20231108232855-2478ac86f678 // indirect
	golang.org/x/mod v0.41.0 // indirect
	golang.org/x/sync v0.24.0 // indirect
	golang.org/x/sys v0.49.0 // indirect
	golang.org/x/tools v0.51.0 // indirect
	honnef.co/go/tools v0.8.2 // indirect
)

tool honnef.co/go/tools/cmd/staticcheck
