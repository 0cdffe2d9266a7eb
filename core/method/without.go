package method

import "jolvex/core/find"

// Without is a method with one pass or signal taken out of it.
type Without struct {
	Key    string // of the setting
	Label  string
	Kind   string // pass, retrieval, signal, order
	Method Method
}

// Ablations lists what can be taken out of a method to see what it is worth; what has no say in the method anyhow is not
// among them.
func (m Method) Ablations() []Without {
	change := func(f func(*Method)) Method {
		out := m
		f(&out)
		return out
	}
	signal := func(of func(*find.Settings) *float64, to float64) Method {
		return change(func(m *Method) { *of(&m.Find) = to })
	}
	all := []Without{
		{"query.commands", "Leave orders out", "pass", change(func(m *Method) { m.Query.Commands = false })},
		{"query.filler", "Drop filler", "pass", change(func(m *Method) { m.Query.Filler = false })},
		{"query.spelling", "Correct spelling", "pass", change(func(m *Method) { m.Query.Spelling = false })},
		{"query.compound", "Join and split compounds", "pass", change(func(m *Method) { m.Query.Compound = false })},
		{"query.glossary", "Glossary", "pass", change(func(m *Method) { m.Glossary = nil })},
		{"query.related", "Related terms", "pass", change(func(m *Method) { m.Query.Related = false })},
		{"query.feedback", "Feedback from first results", "pass", change(func(m *Method) { m.Query.Feedback = false })},
		{"query.model", "Wordings by a model", "pass", change(func(m *Method) { m.Query.Model = false })},
		{"query.followUp", "Complete follow-ups", "pass", change(func(m *Method) { m.Query.FollowUp = false })},
		{"find.lexical", "Shared words (lexical)", "retrieval", change(func(m *Method) { m.Find.Dense, m.Find.DenseWords = 1, 1 })},
		{"find.dense", "Meaning (dense)", "retrieval", change(func(m *Method) { m.Find.Dense, m.Find.DenseWords = 0, 0 })},
	}
	for _, k := range find.Signals() {
		if k.Weight(&find.Settings{}) == nil {
			continue
		}
		w := Without{"find." + k.Setting, labelOf("find." + k.Setting), "signal", signal(k.Weight, k.Without())}
		if k.Name == find.SignalSource { // without it, no source is preferred
			w = Without{"priority", "Source priority", "signal", change(func(m *Method) { m.Priority = nil })}
		}
		all = append(all, w)
	}
	all = append(all,
		Without{"find.fold", "Fold repeats", "order", change(func(m *Method) { m.Find.Fold = false })},
		Without{"find.diversity", "Diversity", "order", signal(func(s *find.Settings) *float64 { return &s.Diversity }, 0)},
	)
	var out []Without
	for _, w := range all {
		if len(Difference(m, w.Method)) > 0 {
			out = append(out, w)
		}
	}
	return out
}

// labelOf is what people call a setting.
func labelOf(key string) string {
	for _, f := range Fields() {
		if f.Key == key {
			return f.Label
		}
	}
	return key
}
