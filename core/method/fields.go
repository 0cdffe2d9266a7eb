package method

import (
	"errors"
	"fmt"
	"maps"
	"reflect"
	"slices"
	"strconv"
	"strings"
)

// Field describes one setting, from the tags of its struct. The interface's forms are made from this.
type Field struct {
	Key     string   `json:"key"` // "chunk.size"
	Kind    string   `json:"kind" enum:"integer,number,boolean,text,choice"`
	Label   string   `json:"label"`
	Help    string   `json:"help"`
	Unit    string   `json:"unit,omitempty"`
	Default string   `json:"default"`
	Min     *float64 `json:"min,omitempty"`
	Max     *float64 `json:"max,omitempty"`
	Step    *float64 `json:"step,omitempty"`
	Options []Option `json:"options,omitempty" nullable:"false" doc:"choice: what can be chosen; text: what is worth choosing"`
	Try     []string `json:"try" nullable:"false" doc:"Values that a trial may begin with; empty when a trial does not vary the setting"`
	// For lists the strategies that heed the setting; empty when all do.
	For []string `json:"for,omitempty" nullable:"false"`
}

// Option is one thing that can be chosen.
type Option struct {
	Value string `json:"value"`
	Label string `json:"label"`
	Help  string `json:"help,omitempty"`
}

// described is what a stage's settings may do besides: name and explain the choices of a setting.
type described interface {
	Options(key string) [][3]string
}

// Fields describes every setting, in the order of the stages.
func Fields() []Field {
	var m Method
	var out []Field
	for _, g := range groups(&m) {
		for i := range g.value.NumField() {
			out = append(out, g.field(i))
		}
	}
	return out
}

// Difference lists the keys of the settings in which a and b differ.
func Difference(a, b Method) []string {
	var out []string
	ga, gb := groups(&a), groups(&b)
	for k := range ga {
		for i := range ga[k].value.NumField() {
			if !ga[k].value.Field(i).Equal(gb[k].value.Field(i)) {
				out = append(out, ga[k].key(i))
			}
		}
	}
	if !reflect.DeepEqual(a.Glossary, b.Glossary) && len(a.Glossary)+len(b.Glossary) > 0 {
		out = append(out, "glossary")
	}
	if !reflect.DeepEqual(a.Rules, b.Rules) && len(a.Rules)+len(b.Rules) > 0 {
		out = append(out, "rules")
	}
	out = append(out, differing("sources.", a.Sources, b.Sources)...)
	return append(out, differing("priority.", a.Priority, b.Priority)...)
}

// Value is a setting of a method in words, by its key: of lists how many entries they have.
func Value(m Method, key string) string {
	for _, g := range groups(&m) {
		for i := range g.value.NumField() {
			if g.key(i) == key {
				return fmt.Sprint(g.value.Field(i).Interface())
			}
		}
	}
	kind, id, _ := strings.Cut(key, ".")
	switch kind {
	case "glossary":
		return fmt.Sprintf("%d entries", len(m.Glossary))
	case "rules":
		return fmt.Sprintf("%d rules", len(m.Rules))
	case "priority":
		return fmt.Sprint(m.Priority[id])
	case "sources":
		if s, own := m.Sources[id]; own {
			return fmt.Sprintf("%+v", s)
		}
	}
	return "as the corpus has it"
}

// With gives the method with settings changed, by their keys: "find.keep" to "12". It is an error when there is no such setting, when
// a value cannot be read as what the setting is, and when what comes is out of bounds; settings that bound each other are
// changed together.
func With(m Method, changes map[string]string) (Method, error) {
	gs := groups(&m)
	for _, key := range slices.Sorted(maps.Keys(changes)) {
		f, ok := fieldOf(gs, key)
		if !ok {
			return m, fmt.Errorf("there is no setting %q", key)
		}
		if err := put(f, changes[key]); err != nil {
			return m, fmt.Errorf("%s: %q is no %s", key, changes[key], f.Kind())
		}
	}
	if bad := m.Validate(); len(bad) > 0 {
		return m, errors.New(strings.Join(bad, "; "))
	}
	return m, nil
}

func fieldOf(gs []group, key string) (reflect.Value, bool) {
	for _, g := range gs {
		for i := range g.value.NumField() {
			if g.key(i) == key {
				return g.value.Field(i), true
			}
		}
	}
	return reflect.Value{}, false
}

// put reads a value into a field of a settings struct.
func put(f reflect.Value, value string) error {
	switch f.Kind() {
	case reflect.Int:
		n, err := strconv.Atoi(value)
		f.SetInt(int64(n))
		return err
	case reflect.Float64:
		x, err := strconv.ParseFloat(value, 64)
		f.SetFloat(x)
		return err
	case reflect.Bool:
		b, err := strconv.ParseBool(value)
		f.SetBool(b)
		return err
	default:
		f.SetString(value)
		return nil
	}
}

// differing lists the keys under which two maps hold something else; what a map does not hold is the zero value.
func differing[V comparable](prefix string, a, b map[string]V) []string {
	keys := map[string]bool{}
	for k := range a {
		keys[k] = true
	}
	for k := range b {
		keys[k] = true
	}
	var out []string
	for _, k := range slices.Sorted(maps.Keys(keys)) {
		if a[k] != b[k] {
			out = append(out, prefix+k)
		}
	}
	return out
}

type group struct {
	name  string
	value reflect.Value
}

func groups(m *Method) []group {
	v := reflect.ValueOf(m).Elem()
	var out []group
	for i := range v.NumField() {
		if v.Field(i).Kind() != reflect.Struct {
			continue
		}
		out = append(out, group{v.Type().Field(i).Tag.Get("json"), v.Field(i)})
	}
	return out
}

func (g group) tag(i int) reflect.StructTag { return g.value.Type().Field(i).Tag }

func (g group) key(i int) string { return g.name + "." + g.tag(i).Get("json") }

func (g group) setDefaults() {
	for i := range g.value.NumField() {
		f, def := g.value.Field(i), g.tag(i).Get("initial")
		if k := f.Kind(); k != reflect.Int && k != reflect.Float64 && k != reflect.Bool && k != reflect.String {
			panic("method: setting " + g.key(i) + " is of a kind that no form can show")
		}
		mustTag(put(f, def), g.key(i))
	}
}

// mustTag stops the program at its first step when a tag in the source is wrong: a test reads them all.
func mustTag(err error, key string) {
	if err != nil {
		panic("method: initial value of " + key + ": " + err.Error())
	}
}

func (g group) field(i int) Field {
	t := g.tag(i)
	f := Field{Key: g.key(i), Label: t.Get("label"), Help: t.Get("help"), Unit: t.Get("unit"), Default: t.Get("initial")}
	bound := func(name string) *float64 {
		x, err := strconv.ParseFloat(t.Get(name), 64)
		if err != nil {
			return nil
		}
		return &x
	}
	if heeds := t.Get("for"); heeds != "" {
		f.For = strings.Split(heeds, ",")
	}
	f.Min, f.Max, f.Step = bound("min"), bound("max"), bound("step")
	switch g.value.Field(i).Kind() {
	case reflect.Int:
		f.Kind = "integer"
	case reflect.Float64:
		f.Kind = "number"
	case reflect.Bool:
		f.Kind = "boolean"
	default:
		f.Kind = "text"
		if c := t.Get("choices"); c != "" {
			f.Kind = "choice"
			named := map[string][3]string{}
			if d, ok := g.value.Interface().(described); ok {
				for _, o := range d.Options(t.Get("json")) {
					named[o[0]] = o
				}
			}
			for _, v := range strings.Split(c, ",") {
				o := Option{v, v, ""}
				if n, ok := named[v]; ok {
					o.Label, o.Help = n[1], n[2]
				}
				f.Options = append(f.Options, o)
			}
		} else if d, ok := g.value.Interface().(described); ok {
			for _, o := range d.Options(t.Get("json")) {
				f.Options = append(f.Options, Option{o[0], o[1], o[2]})
			}
		}
	}
	f.Try = f.worthTrying()
	return f
}

// worthTrying gives the values that a trial of a setting begins with: all that can be chosen, or the initial value with one well below
// and one well above it. Embeddings have none: each would have the whole corpus read anew. Nor has text that is free.
func (f Field) worthTrying() []string {
	out := []string{}
	switch {
	case strings.HasPrefix(f.Key, "embed."):
	case f.Kind == "boolean":
		out = append(out, "true", "false")
	case f.Kind == "integer", f.Kind == "number":
		at, err := strconv.ParseFloat(f.Default, 64)
		mustTag(err, f.Key)
		least, digits := 0.1, 2
		if f.Step != nil {
			least = *f.Step
		}
		if f.Kind == "integer" {
			least, digits = 1, 0
		}
		step := max(least, at/2)
		for _, x := range []float64{at - step, at, at + step} {
			if f.Min != nil {
				x = max(x, *f.Min)
			}
			if f.Max != nil {
				x = min(x, *f.Max)
			}
			s := strconv.FormatFloat(x, 'f', digits, 64)
			if digits > 0 {
				s = strings.TrimSuffix(strings.TrimRight(s, "0"), ".")
			}
			if !slices.Contains(out, s) {
				out = append(out, s)
			}
		}
	default:
		for _, o := range f.Options {
			out = append(out, o.Value)
		}
	}
	return out
}

func (g group) check() []string {
	var out []string
	for i := range g.value.NumField() {
		f := g.field(i)
		v := g.value.Field(i)
		var x float64
		switch f.Kind {
		case "integer":
			x = float64(v.Int())
		case "number":
			x = v.Float()
		case "choice":
			if !slices.ContainsFunc(f.Options, func(o Option) bool { return o.Value == v.String() }) {
				out = append(out, fmt.Sprintf("%s: %q is none of %s", f.Key, v.String(), g.tag(i).Get("choices")))
			}
			continue
		case "text":
			if v.Len() > 2000 {
				out = append(out, fmt.Sprintf("%s: %d characters, the most is 2000", f.Key, v.Len()))
			}
			continue
		default:
			continue
		}
		if f.Min != nil && !(x >= *f.Min) || f.Max != nil && !(x <= *f.Max) {
			out = append(out, fmt.Sprintf("%s: %v is outside %v to %v %s", f.Key, x, *f.Min, *f.Max, f.Unit))
		}
	}
	return out
}
