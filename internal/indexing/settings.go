package indexing

import (
	"strings"

	"jolvex/core/method"
)

// SettingPair is a setting in which two methods differ.
type SettingPair struct {
	Key    string `json:"key"`
	Label  string `json:"label"`
	Before string `json:"before"`
	After  string `json:"after"`
}

// SettingPairs lists the settings in which two methods differ, as people call them.
func SettingPairs(a, b method.Method) []SettingPair {
	labels := map[string]string{}
	for _, f := range method.Fields() {
		labels[f.Key] = f.Label
	}
	out := []SettingPair{}
	for _, key := range method.Difference(a, b) {
		p := SettingPair{Key: key, Label: labels[key], Before: method.Value(a, key), After: method.Value(b, key)}
		if p.Label == "" {
			p.Label = strings.ToUpper(key[:1]) + key[1:]
		}
		out = append(out, p)
	}
	return out
}
