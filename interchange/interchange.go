// Package interchange is the folder of the open formats that edits come in and go out
// by, a folder a format: edl (CMX 3600), otio (OpenTimelineIO) and adl (AES31-3). bundle
// is a reel with its sound, sheet its tables for paper and spreadsheets. What a list is,
// and what it means in a reel, is in core/conform.
package interchange
