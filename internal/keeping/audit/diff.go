package audit

import (
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strings"
)

// secrets are the names under which something stands that is nobody's business afterwards either.
var secrets = []string{"password", "old", "key", "secret", "token", "code"}

// hidden stands for a secret.
const hidden = "(not shown)"

// Differences lists where two JSON texts differ, by pointer (RFC 6901), in the order of their members. A text that is empty, or no JSON, has
// nothing. Members of lists that have an id or a name are held against each other by it. Secrets are told to have changed, not what they are.
func Differences(before, after []byte) []Altered {
	var b, a any
	if json.Unmarshal(before, &b) != nil {
		b = nil
	}
	if json.Unmarshal(after, &a) != nil {
		a = nil
	}
	var out []Altered
	differ("", b, a, &out)
	return out
}

func differ(path string, before, after any, out *[]Altered) {
	if len(*out) > mostChanges {
		return
	}
	b, a := members(before), members(after)
	was, is := "", ""
	if b == nil {
		was = said(before)
	}
	if a == nil {
		is = said(after)
	}
	if was != is {
		*out = append(*out, told(path, was, is))
	}
	for _, k := range slices.Sorted(maps.Keys(union(b, a))) {
		differ(path+"/"+strings.NewReplacer("~", "~0", "/", "~1").Replace(k), b[k], a[k], out)
	}
}

func told(path, before, after string) Altered {
	last := strings.ToLower(path[strings.LastIndex(path, "/")+1:])
	if slices.Contains(secrets, last) {
		if before != "" {
			before = hidden
		}
		if after != "" {
			after = hidden
		}
	}
	return Altered{path, before, after}
}

func union(a, b map[string]any) map[string]bool {
	out := map[string]bool{}
	for k := range a {
		out[k] = true
	}
	for k := range b {
		out[k] = true
	}
	return out
}

// members are the parts of an object or list by name; nil for what has none.
func members(v any) map[string]any {
	switch v := v.(type) {
	case map[string]any:
		if len(v) > 0 {
			return v
		}
	case []any:
		out := map[string]any{}
		for n, x := range v {
			name := fmt.Sprint(n)
			if m, ok := x.(map[string]any); ok {
				for _, k := range []string{"id", "name", "term", "question"} {
					if s, ok := m[k].(string); ok && s != "" {
						name = s
						break
					}
				}
			}
			if _, twice := out[name]; twice {
				name = fmt.Sprintf("%s (%d)", name, n)
			}
			out[name] = x
		}
		if len(out) > 0 {
			return out
		}
	}
	return nil
}

// said is a value in a few letters; nothing for what is not there or empty.
func said(v any) string {
	switch v := v.(type) {
	case nil:
		return ""
	case string:
		return v
	case map[string]any, []any:
		return "" // its members say what it is
	}
	raw, err := json.Marshal(v)
	if err != nil {
		return fmt.Sprint(v)
	}
	return string(raw)
}
