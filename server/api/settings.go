package api

import (
	"context"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"unicode/utf8"

	"blendseam/core/reel"
	"blendseam/server/answer"
	"blendseam/store"
)

// user owns presets and sets of keys. There is one until there are accounts.
const user = "local"

// Bounds of a set of keys.
const (
	MaxKeySets  = 50
	maxCommands = 300
	maxCombos   = 6
	maxCombo    = 40 // bytes
)

func (s *API) settingRoutes() {
	get(s, "/presets", "getPresets", "The user's named blends, or the shipped ones", s.getPresets)
	act(s, http.MethodPut, "/presets", "putPresets", "Replace the user's named blends", s.putPresets)
	act(s, http.MethodDelete, "/presets", "restorePresets", "Bring the shipped presets back", func(ctx context.Context, _ *struct{}) error {
		return s.Store.SavePresets(ctx, user, nil)
	})
	get(s, "/keys", "listKeySets", "The user's sets of keys", s.listKeySets)
	act(s, http.MethodPut, "/keys/{set}", "putKeySet", "Save a set of keys", s.putKeySet)
	act(s, http.MethodDelete, "/keys/{set}", "removeKeySet", "Delete a set of keys", s.removeKeySet)
	act(s, http.MethodPost, "/keys/choose", "chooseKeySet", "Put a set of keys in force; no name is for the shipped keys", func(ctx context.Context, in *struct{ Body NameRequest }) error {
		return s.Store.ChooseKeySet(ctx, user, in.Body.Name)
	})
}

// PresetList are named blends.
type PresetList struct {
	Presets []reel.Preset `json:"presets"`
	Shipped bool          `json:"shipped" doc:"they are the shipped ones"`
}

func (s *API) getPresets(ctx context.Context, _ *struct{}) (PresetList, error) {
	list, err := s.Store.Presets(ctx, user)
	if len(list) == 0 {
		return PresetList{reel.ShippedPresets, true}, err
	}
	return PresetList{list, false}, err
}

func (s *API) putPresets(ctx context.Context, in *struct {
	Body struct {
		Presets []reel.Preset `json:"presets"`
	}
}) error {
	if err := reel.CheckPresets(in.Body.Presets); err != nil {
		return err
	}
	return s.Store.SavePresets(ctx, user, in.Body.Presets)
}

// KeySetList are sets of keys.
type KeySetList struct {
	Sets []store.KeySet `json:"sets"`
}

func (s *API) listKeySets(ctx context.Context, _ *struct{}) (KeySetList, error) {
	sets, err := s.Store.KeySets(ctx, user)
	return KeySetList{some(sets)}, err
}

// OfKeySet is a request about a set of keys.
type OfKeySet struct {
	Set string `path:"set" doc:"name of the set"`
}

// name is the name of a set in the path.
func (in OfKeySet) name() (string, error) {
	name, err := url.PathUnescape(in.Set)
	if err == nil {
		name, err = reel.CleanName(name)
	}
	if err == nil && utf8.RuneCountInString(name) > 80 {
		err = answer.Bad("The name of a set of keys has at most 80 characters.")
	}
	return name, err
}

func (s *API) putKeySet(ctx context.Context, in *struct {
	OfKeySet
	Body struct {
		Keys   map[string][]string `json:"keys"`
		Chosen bool                `json:"chosen"`
	}
}) error {
	name, err := in.name()
	if err == nil {
		err = checkKeys(in.Body.Keys)
	}
	var sets []store.KeySet
	if err == nil {
		sets, err = s.Store.KeySets(ctx, user)
	}
	if err != nil {
		return err
	}
	if len(sets) >= MaxKeySets && !slices.ContainsFunc(sets, func(k store.KeySet) bool { return k.Name == name }) {
		return answer.Bad(fmt.Sprintf("There are %d sets of keys, which is as many as are kept. Remove one first.", len(sets)))
	}
	return s.Store.SaveKeySet(ctx, user, store.KeySet{Name: name, Chosen: in.Body.Chosen, Keys: in.Body.Keys})
}

func (s *API) removeKeySet(ctx context.Context, in *OfKeySet) error {
	name, err := in.name()
	if err != nil {
		return err
	}
	return s.Store.RemoveKeySet(ctx, user, name)
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
