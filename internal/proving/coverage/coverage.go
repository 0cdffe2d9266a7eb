package coverage

import (
	"cmp"
	"context"
	"slices"

	"jolvex/core/diagnose"
	"jolvex/core/doc"
	"jolvex/core/index"
	"jolvex/core/questions"
	"jolvex/internal/asking"
	"jolvex/internal/proving/sets"
	"jolvex/internal/store"
)

// DocumentUse is how much the question sets and a run have to do with one document.
type DocumentUse struct {
	Document string   `json:"document"`
	Address  string   `json:"address"`
	Title    string   `json:"title"`
	Chunks   int      `json:"chunks"`
	Tested   int      `json:"tested" doc:"Questions that expect it"`
	Failing  int      `json:"failing" doc:"Of these, those that fail in the run"`
	Found    int      `json:"found" doc:"Questions of the run among whose candidates it was"`
	Kept     int      `json:"kept" doc:"Questions of the run whose replies could draw on it"`
	Cited    int      `json:"cited" doc:"Replies of the run that cite it"`
	Strata   []UseOf  `json:"strata" nullable:"false" doc:"Its chunks in order"`
	Asks     []string `json:"asks" nullable:"false" doc:"Ids of the questions that expect it"`
}

// UseOf is how often one chunk was of use in a run.
type UseOf struct {
	Span   doc.Span `json:"span"`
	Tokens int      `json:"tokens"`
	Found  int      `json:"found"`
	Kept   int      `json:"kept"`
	Cited  int      `json:"cited"`
}

// Coverage is what of a corpus the questions reach.
type Coverage struct {
	Run        string        `json:"run" doc:"The run that it is read from; empty when there is none"`
	Documents  []DocumentUse `json:"documents" nullable:"false"`
	Untested   int           `json:"untested" doc:"Documents that no question expects"`
	Chunks     int           `json:"chunks"`
	NeverFound int           `json:"neverFound" doc:"Chunks that were no question's candidate"`
	NeverCited int           `json:"neverCited" doc:"Chunks that were candidates and that no reply cites"`
	Uncovered  []string      `json:"uncovered" nullable:"false" doc:"Questions that the corpus has nothing for"`
}

// Coverage reads from a run of a set which documents no question tests, which chunks are never found and which never help.
func (rm *Room) Coverage(ctx context.Context, corpus, set string) (Coverage, error) {
	out := Coverage{Documents: []DocumentUse{}, Uncovered: []string{}}
	c, err := rm.store.Corpus(ctx, corpus)
	if err != nil {
		return out, err
	}
	s, err := rm.store.QuestionSet(ctx, c.ID, set)
	if err != nil {
		return out, err
	}
	qs, err := rm.store.Questions(ctx, s.ID)
	if err != nil {
		return out, err
	}
	b, err := rm.asking.Bench(ctx, asking.Caller{Audience: index.Public, Surface: "bench"}, c, c.Method)
	if err != nil {
		return out, err
	}
	lib, err := rm.sets.Library(ctx, c, b.View)
	if err != nil {
		return out, err
	}
	uses, at := documentsInUse(lib, b.View)
	results, run, err := rm.runs.LastResults(ctx, c.ID, s.ID)
	if err != nil {
		return out, err
	}
	out.Run = run.ID
	failed := map[string]bool{}
	for _, x := range results {
		if x.Failed == "" && !x.Verdict.Passed {
			failed[x.Question] = true
		}
		if x.Cause != nil && x.Cause.Cause == diagnose.NotGathered && x.Position < len(run.Questions) {
			out.Uncovered = append(out.Uncovered, run.Questions[x.Position].Text)
		}
		used(uses, at, x)
	}
	for i := range uses {
		u := &uses[i]
		for _, q := range qs {
			if sets.Expects(q, questions.Document{Address: u.Address, Title: u.Title}) {
				u.Tested++
				u.Asks = append(u.Asks, q.ID)
				if failed[q.ID] {
					u.Failing++
				}
			}
		}
		if u.Tested == 0 {
			out.Untested++
		}
		for _, l := range u.Strata {
			out.Chunks++
			switch {
			case l.Found == 0:
				out.NeverFound++
			case l.Cited == 0:
				out.NeverCited++
			}
		}
	}
	out.Documents = uses
	return out, nil
}

// documentsInUse lists the documents that public replies can draw on, with their chunks in order, and where each is in the list.
func documentsInUse(lib *diagnose.Corpus, v *index.View) ([]DocumentUse, map[string]int) {
	var uses []DocumentUse
	at := map[string]int{}
	for _, d := range lib.Members {
		if len(lib.Chunks[d.Document]) > 0 {
			at[d.Document] = len(uses)
			uses = append(uses, DocumentUse{Document: d.Document, Address: d.Address, Title: d.Title, Strata: []UseOf{}, Asks: []string{}})
		}
	}
	v.Each(func(_ int, e *index.Entry) bool {
		if i, ok := at[e.Document]; ok {
			uses[i].Strata = append(uses[i].Strata, UseOf{Span: e.Span, Tokens: e.Tokens})
			uses[i].Chunks++
		}
		return true
	})
	for i := range uses {
		slices.SortFunc(uses[i].Strata, func(a, b UseOf) int { return cmp.Compare(a.Span.Start, b.Span.Start) })
	}
	return uses, at
}

// used counts what one reply has to do with documents and chunks.
func used(uses []DocumentUse, at map[string]int, x store.Result) {
	if x.Trail == nil {
		return
	}
	cited := map[int]bool{}
	for _, s := range x.Trail.Reply {
		if s.Candidate >= 0 {
			cited[s.Candidate] = true
		}
	}
	type once struct{ found, kept, cited bool }
	seen := map[int]*once{}
	for k, c := range x.Trail.Candidates {
		i, ok := at[c.Document]
		if !ok {
			continue
		}
		if seen[i] == nil {
			seen[i] = &once{}
		}
		seen[i].found, seen[i].kept, seen[i].cited = true, seen[i].kept || c.Kept, seen[i].cited || cited[k]
		for n := range uses[i].Strata {
			l := &uses[i].Strata[n]
			if l.Span != c.Span {
				continue
			}
			l.Found++
			if c.Kept {
				l.Kept++
			}
			if cited[k] {
				l.Cited++
			}
		}
	}
	for i, o := range seen {
		uses[i].Found++
		if o.kept {
			uses[i].Kept++
		}
		if o.cited {
			uses[i].Cited++
		}
	}
}
