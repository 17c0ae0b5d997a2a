package api

import (
	"encoding/json"
	"net/http"
	"reflect"
	"strings"

	"github.com/danielgtaylor/huma/v2"
	"github.com/go-chi/chi/v5"

	"blendseam/core/reel"
	"blendseam/core/seam"
	"blendseam/server/live"
	"blendseam/store"
	"blendseam/work"
)

// config is the head of the description.
func config() huma.Config {
	return huma.Config{
		OpenAPI: &huma.OpenAPI{
			OpenAPI: "3.1.0",
			Info: &huma.Info{Title: "Blend Seam", Version: "1", Description: "Times are samples at the reel's rate; spans are half-open. " +
				"Errors are problem documents (RFC 9457) whose detail a user can act on."},
			Servers:    []*huma.Server{{URL: "/api/v1"}},
			Components: &huma.Components{Schemas: registry()},
		},
		Formats:       map[string]huma.Format{"application/json": format, "json": format},
		DefaultFormat: "application/json",
	}
}

// named is the name of a type in the description: its own, with the room it is
// of where two rooms have one of that name.
func named(t reflect.Type, hint string) string {
	if t.Kind() == reflect.Pointer {
		t = t.Elem()
	}
	switch t {
	case reflect.TypeFor[seam.Side]():
		return "SeamSide"
	case reflect.TypeFor[store.Picture]():
		return "PictureFile"
	case reflect.TypeFor[reel.Room]():
		return "BlendRoom"
	}
	return huma.DefaultSchemaNamer(t, hint)
}

// plain answers an address that streams, or takes what is not JSON, and
// describes it.
func (s *API) plain(r chi.Router, method, path string, do http.HandlerFunc) {
	r.Method(method, path, do)
	op := streams[method+" "+path]
	op.Method, op.Path = method, path
	for part := range strings.SplitSeq(path, "/") {
		if name, ok := strings.CutPrefix(part, "{"); ok {
			op.Parameters = append(op.Parameters, &huma.Param{Name: strings.TrimSuffix(name, "}"), In: "path", Required: true, Schema: &huma.Schema{Type: "string"}})
		}
	}
	s.doc.OpenAPI().AddOperation(&op)
}

// query are parameters of an address: a name and what it means, alternately.
func query(words ...string) (out []*huma.Param) {
	for i := 0; i < len(words); i += 2 {
		out = append(out, &huma.Param{Name: words[i], In: "query", Description: words[i+1], Schema: &huma.Schema{Type: "string"}})
	}
	return out
}

// sends is an answer of a media type.
func sends(kind, what string) map[string]*huma.Response {
	return map[string]*huma.Response{"200": {Description: what, Content: map[string]*huma.MediaType{kind: {}}}}
}

const octets = "application/octet-stream"

var spanQuery = []string{"from", "sample", "to", "sample after the last"}

// streams describe what does not answer in JSON alone.
var streams = map[string]huma.Operation{
	"GET /openapi.json":   {OperationID: "getDocument", Summary: "This description", Responses: sends("application/json", "OpenAPI 3.1")},
	"GET /curves/{shape}": {OperationID: "getCurve", Summary: "The drawing of a fade's shape", Parameters: query("bend", "0 to 1, 0.5 for none"), Responses: sends("application/json", "gains at even steps")},
	"POST /reels/{reel}/lists": {OperationID: "postList", Summary: "Tell what an edit list would bring; with take, bring it in", Parameters: query("name", "of the file", "rate", "frames a second that it counts", "take", "1 to bring it in"),
		RequestBody: &huma.RequestBody{Content: map[string]*huma.MediaType{octets: {}}}, Responses: sends("application/json", "ListLook or, with take, Changed")},
	"GET /reels/{reel}/events": {OperationID: "getEvents", Summary: "What happens to a reel, as server-sent events: first what was missed since a revision", Parameters: query("since", "revision that is known"),
		Responses: sends("text/event-stream", "change, seams, reload, measured, accepted, import, sweep, quiet, media, notices, database")},
	"GET /reels/{reel}/pcm": {OperationID: "getPCM", Summary: "The sound of a span, as interleaved stereo little-endian float32", Responses: sends(octets, "samples"),
		Parameters: query(append(spanQuery, "revision", "that is meant, for caching", "uid", "of the reel, for caching", "hardCut", "blend that is left out", "silent", "clips that are left out", "unstruck", "strike that is left out", "untreated", "clips and tracks whose treatment is left out", "speed", "0.5, 2 or −1 for backwards; from and to then count samples of what is heard", "start", "where in the reel that begins",
			"bare", "strike whose cover is left out", "trial", "of a dry run", "before", "1 for before the last step")...)},
	"GET /reels/{reel}/export": {OperationID: "getExport", Summary: "A span as a file", Responses: sends("audio/wav", "Broadcast Wave, or FLAC"),
		Parameters: query(append(spanQuery, "bits", "16, 24 or 32", "channels", "1 or 2", "file", "wav, flac, mp3, opus or aac", "kbits", "of mp3, opus and aac", "each", "track, role or clip for a ZIP of files", "clips", "ids with commas", "handles", "samples", "rate", "hertz, 0 for that of the reel", "lufs", "loudness that the mix is brought to", "ceiling", "true peak that it keeps under then, dBTP")...)},
	"GET /jobs/{job}/file": {OperationID: "getJobFile", Summary: "The file that a job wrote, or a part of it, as long as it is kept", Responses: sends(octets, "the file")},
	"GET /reels/{reel}/tone": {OperationID: "getTone", Summary: "The sound of room tone before it is laid, as interleaved stereo little-endian float32", Responses: sends(octets, "samples"),
		Parameters: query(append(spanQuery, "source", "it is grown of", "start", "of the stretch", "end", "of the stretch", "seed", "of its grain", "room", "synthetic room instead of a source", "gain", "dB")...)},
	"GET /reels/{reel}/lists/{format}":                              {OperationID: "getList", Summary: "The edit as a file, edl, otio or adl", Responses: sends("text/plain", "CMX 3600, OpenTimelineIO or AES31-3")},
	"GET /reels/{reel}/sources/{source}/overview/{channel}/{level}": {OperationID: "getToneOverview", Summary: "Buckets of an overview of grown tone: min, max and RMS as float32", Parameters: query("from", "bucket", "count", "of buckets", "uid", "of the reel, for caching"), Responses: sends(octets, "buckets")},
	"GET /reels/{reel}/sources/{source}/samples/{channel}":          {OperationID: "getToneSamples", Summary: "Samples of grown tone as float32", Parameters: query("from", "sample", "count", "of samples"), Responses: sends(octets, "samples")},
	"GET /pictures/{hash}/frames":                                   {OperationID: "getFrames", Summary: "Frames of a picture: each a length of four bytes, the lowest first, and a JPEG", Parameters: query("from", "frame", "count", "of frames", "step", "between them"), Responses: sends(octets, "frames")},
	"GET /recordings/{hash}/{rate}/overview/{channel}/{level}":      {OperationID: "getOverview", Summary: "Buckets of an overview of a recording: min, max and RMS as float32", Parameters: query("from", "bucket", "count", "of buckets"), Responses: sends(octets, "buckets")},
	"GET /recordings/{hash}/{rate}/samples/{channel}":               {OperationID: "getSamples", Summary: "Samples of a recording as float32", Parameters: query("from", "sample", "count", "of samples"), Responses: sends(octets, "samples")},
	"GET /recordings/{hash}/{rate}/pcm":                             {OperationID: "getRecordingPCM", Summary: "A stretch of a recording, as interleaved stereo little-endian float32", Parameters: query(append(spanQuery, "left", "channel", "right", "channel, −1 for mono")...), Responses: sends(octets, "samples")},
	"GET /reels/{reel}/reports/{what}":                              {OperationID: "getReport", Summary: "What is told of a reel as CSV (RFC 4180): cues, seams, markers or swatches", Responses: sends("text/csv", "the table")},
	"POST /reels/{reel}/markers": {OperationID: "postMarkers", Summary: "Add the markers of a CSV text, which is the body, as one step", Parameters: query("name", "of the file"),
		RequestBody: &huma.RequestBody{Content: map[string]*huma.MediaType{"text/csv": {}}}, Responses: map[string]*huma.Response{"200": {Description: "Change", Content: map[string]*huma.MediaType{"application/json": {}}}}},
	"POST /bundles": {OperationID: "takeBundle", Summary: "Make a reel of a bundle, whose bytes are the body, with all its sound", Parameters: query("name", "of the file"),
		RequestBody: &huma.RequestBody{Content: map[string]*huma.MediaType{octets: {}}}, Responses: map[string]*huma.Response{"201": {Description: "Reel", Content: map[string]*huma.MediaType{"application/json": {}}}}},
	"POST /reels/{reel}/uploads": {OperationID: "postUpload", Summary: "Import a file, whose bytes are the body; decoding goes on after the answer", Parameters: query("name", "of the file"),
		RequestBody: &huma.RequestBody{Content: map[string]*huma.MediaType{octets: {}}}, Responses: map[string]*huma.Response{"202": {Description: "Job", Content: map[string]*huma.MediaType{"application/json": {}}}}},
}

// told are the shapes of what is sent without an operation of their own.
var told = []any{ListLook{}, work.Measured{}, work.Patch{}, work.Incoming{}, work.Notice{}, live.Changed{}, work.TakenOver{}}

// Description is what the API is, in OpenAPI 3.1.
func (s *API) Description() *huma.OpenAPI {
	doc := s.doc.OpenAPI()
	for _, v := range told {
		t := reflect.TypeOf(v)
		doc.Components.Schemas.Schema(t, true, t.Name())
	}
	return doc
}

// sendDocument sends the description of the API.
func (s *API) sendDocument(w http.ResponseWriter, r *http.Request) {
	text, err := json.MarshalIndent(s.Description(), "", " ")
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	w.Header().Set("Content-Type", "application/json")
	_, _ = w.Write(text)
}

// Describe is the description of the API without one at work.
func Describe() *huma.OpenAPI {
	s := New(nil, Parts{Live: &live.Live{}})
	s.Routes(chi.NewRouter())
	return s.Description()
}
