package method

import (
	"errors"
	"maps"
	"slices"
	"strings"

	"jolvex/core/chunk"
	"jolvex/core/diagnose"
)

// Altered gives a method with the settings, rules, glossary and priorities of an alteration brought in. What it says of the material is
// for others to bring. It is an error when a setting is unknown or out of its bounds.
func Altered(m Method, a diagnose.Alteration) (Method, error) {
	m, err := With(m, a.Settings)
	if err != nil {
		return m, err
	}
	if len(a.RulesOff)+len(a.Wordings) > 0 {
		rs := slices.Clone(m.Rules)
		for i := range rs {
			rs[i].Off = rs[i].Off || slices.Contains(a.RulesOff, rs[i].ID)
			if w := a.Wordings[rs[i].ID]; w != "" {
				rs[i].When.Like = append(slices.Clone(rs[i].When.Like), w)
			}
		}
		m.Rules = rs
	}
	if len(a.Glossary) > 0 {
		m.Glossary = append(slices.Clone(m.Glossary), a.Glossary...)
	}
	if len(a.Priority) > 0 {
		p := maps.Clone(m.Priority)
		if p == nil {
			p = map[string]int{}
		}
		maps.Copy(p, a.Priority)
		m.Priority = p
	}
	for id, kv := range a.Sources {
		own := m
		own.Chunk = m.Cutting(id)
		settings := map[string]string{}
		for key, value := range kv {
			settings["chunk."+key] = value
		}
		if own, err = With(own, settings); err != nil {
			return m, err
		}
		sources := maps.Clone(m.Sources)
		if sources == nil {
			sources = map[string]chunk.Settings{}
		}
		sources[id] = own.Chunk
		m.Sources = sources
	}
	if bad := m.Validate(); len(bad) > 0 {
		return m, errors.New(strings.Join(bad, "; "))
	}
	return m, nil
}
