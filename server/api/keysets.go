package api

import (
	"fmt"
	"net/http"
	"net/url"
	"strings"

	"github.com/go-chi/chi/v5"

	"unicode/utf8"

	"blendseam/core/reel"
	"blendseam/server/answer"
	"blendseam/store"
)

// user owns the sets of keys. There is one until there are accounts.
const user = "local"

// Bounds of a set of keys.
const (
	MaxKeySets  = 50
	maxCommands = 300
	maxCombos   = 6
	maxCombo    = 40 // bytes
)

func (s *API) listKeySets(w http.ResponseWriter, r *http.Request) {
	sets, err := s.Store.KeySets(r.Context(), user)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	answer.JSON(w, http.StatusOK, map[string]any{"sets": sets})
}

// keySetName is the name of a set in the path.
func keySetName(r *http.Request) (string, error) {
	name, err := url.PathUnescape(chi.URLParam(r, "set"))
	if err == nil {
		name, err = reel.CleanName(name)
	}
	if err == nil && utf8.RuneCountInString(name) > 80 {
		err = answer.Bad("The name of a set of keys has at most 80 characters.")
	}
	return name, err
}

func (s *API) putKeySet(w http.ResponseWriter, r *http.Request) {
	var in struct {
		Keys   map[string][]string `json:"keys"`
		Chosen bool                `json:"chosen"`
	}
	name, err := keySetName(r)
	if err == nil {
		err = answer.ReadJSON(r, &in)
	}
	if err == nil {
		err = checkKeys(in.Keys)
	}
	var sets []store.KeySet
	if err == nil {
		sets, err = s.Store.KeySets(r.Context(), user)
	}
	if err == nil && len(sets) >= MaxKeySets {
		err = answer.Bad(fmt.Sprintf("There are %d sets of keys, which is as many as are kept. Remove one first.", len(sets)))
		for _, k := range sets {
			if k.Name == name {
				err = nil
			}
		}
	}
	if err == nil {
		err = s.Store.SaveKeySet(r.Context(), user, store.KeySet{Name: name, Chosen: in.Chosen, Keys: in.Keys})
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	w.WriteHeader(http.StatusNoContent)
}

// checkKeys bounds a set and refuses one in which a combination calls two
// commands.
func checkKeys(keys map[string][]string) error {
	if keys == nil || len(keys) > maxCommands {
		return answer.Bad(fmt.Sprintf("A set of keys has keys for at most %d commands.", maxCommands))
	}
	taken := map[string]string{}
	for command, combos := range keys {
		if len(command) > maxCombo || len(combos) > maxCombos {
			return answer.Bad(fmt.Sprintf("A command has at most %d combinations.", maxCombos))
		}
		for _, c := range combos {
			if c == "" || len(c) > maxCombo || strings.ContainsFunc(c, func(r rune) bool { return r < ' ' }) {
				return answer.Bad(fmt.Sprintf("%q is not a combination of keys.", c))
			}
			if other, ok := taken[c]; ok && other != command {
				return answer.Bad(fmt.Sprintf("“%s” cannot call both “%s” and “%s”.", c, other, command))
			}
			taken[c] = command
		}
	}
	return nil
}

func (s *API) removeKeySet(w http.ResponseWriter, r *http.Request) {
	name, err := keySetName(r)
	if err == nil {
		err = s.Store.RemoveKeySet(r.Context(), user, name)
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	w.WriteHeader(http.StatusNoContent)
}

func (s *API) chooseKeySet(w http.ResponseWriter, r *http.Request) {
	var in struct {
		Name string `json:"name"`
	}
	err := answer.ReadJSON(r, &in)
	if err == nil {
		err = s.Store.ChooseKeySet(r.Context(), user, in.Name)
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	w.WriteHeader(http.StatusNoContent)
}
