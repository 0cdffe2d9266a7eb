package diagnose

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"
)

// Failure is one question that failed, with its diagnosis.
type Failure struct {
	Question  string
	Diagnosis Diagnosis
}

// Cluster is failures with one cause that one fix may cure.
type Cluster struct {
	Cause     Cause    `json:"cause" enum:"notGathered,leftOut,outOfDate,cutAcross,rankedBelow,lostInRewriting,crowdedOut,notUsed,unsupported,neighbour,wrongPage,wronglyRefused,shouldRefuse,shouldAskBack,askedNeedlessly,notSearched,notUnderstood,ruleMissed,ruleMisfired,manner,doubtful"`
	Questions []string `json:"questions" nullable:"false" doc:"Ids of all that fail for the cause and have the fix proposed"`
	Fix       Fix      `json:"fix"`
	Cures     int      `json:"cures" doc:"Of the questions, those that were seen to pass with it, or with a value that it takes in; each was tried by itself"`
}

// Clusters groups failures by cause and by the fix that is proposed for them: the same page to be left out, the same rule, the same setting.
// Those that several share come first. Where the values of a setting differ, the one is proposed that does what
// the others do, where there is one, else the one that was seen to cure most; what only another value cures is not counted.
func Clusters(fs []Failure) []Cluster {
	type group struct {
		Cluster
		by map[string]int // change -> questions that it cures
		of map[string]Fix
	}
	groups := map[string]*group{}
	for _, f := range fs {
		seen := map[string]bool{}
		for _, fix := range f.Diagnosis.Fixes {
			if fix.Change == nil || len(fix.Change.Settled) > 0 {
				continue // a settled answer is of one question
			}
			key := string(f.Diagnosis.Cause) + " " + aimOf(*fix.Change)
			if seen[key] {
				continue
			}
			seen[key] = true
			g := groups[key]
			if g == nil {
				g = &group{Cluster: Cluster{Cause: f.Diagnosis.Cause}, by: map[string]int{}, of: map[string]Fix{}}
				groups[key] = g
			}
			g.Questions = append(g.Questions, f.Question)
			change := fmt.Sprintf("%+v", *fix.Change) // plain data, maps in the order of their keys
			g.of[change] = fix
			if fix.Cures {
				g.by[change]++
			}
		}
	}
	out := []Cluster{}
	for _, key := range slices.Sorted(maps.Keys(groups)) {
		g := groups[key]
		if len(g.Questions) < 2 {
			continue
		}
		best := ""
		for _, change := range slices.Sorted(maps.Keys(g.of)) {
			if best == "" || g.by[change] > g.by[best] {
				best = change
			}
		}
		g.Cures = g.by[best]
		if widest, ok := widest(g.Cause, g.of); ok {
			best, g.Cures = widest, 0
			for _, n := range g.by {
				g.Cures += n
			}
		}
		g.Fix = g.of[best]
		g.Fix.Variants, g.Fix.Others, g.Fix.Cures = nil, nil, g.Cures > 0
		out = append(out, g.Cluster)
	}
	slices.SortStableFunc(out, func(a, b Cluster) int {
		return cmp.Or(b.Cures-a.Cures, len(b.Questions)-len(a.Questions), a.Fix.order()-b.Fix.order())
	})
	return out
}

// widest is, of changes of one setting that differ in its value alone, the one that does what all others do: the lowest evidence bar for
// questions that were wrongly refused, the highest for those that should have been, the most chunks kept. It reports false for others.
func widest(c Cause, of map[string]Fix) (string, bool) {
	best, at := "", 0.0
	for _, change := range slices.Sorted(maps.Keys(of)) {
		a := of[change].Change
		if len(a.Settings) != 1 || aimOf(*a) != aimOf(Alteration{Settings: a.Settings}) {
			return "", false
		}
		for key, value := range a.Settings {
			x, err := strconv.ParseFloat(value, 64)
			if err != nil {
				return "", false
			}
			switch {
			case key == "answer.bar" && c == WronglyRefused:
				x = -x
			case key == "answer.bar" && c == ShouldRefuse, key == "find.keep":
			default:
				return "", false
			}
			if best == "" || x > at {
				best, at = change, x
			}
		}
	}
	return best, best != ""
}

// aimOf names what a change is about, whatever the value.
func aimOf(a Alteration) string {
	var keys []string
	for k := range a.Settings {
		keys = append(keys, "set "+k)
	}
	for _, r := range a.RulesOff {
		keys = append(keys, "rule "+r)
	}
	for r := range a.Wordings {
		keys = append(keys, "wording "+r)
	}
	for _, g := range a.Glossary {
		keys = append(keys, "glossary "+g.Term)
	}
	for s := range a.Priority {
		keys = append(keys, "priority "+s)
	}
	for s := range a.Sources {
		keys = append(keys, "cut "+s)
	}
	for _, p := range slices.Concat(a.Pages, a.TakeIn, a.LeaveOut) {
		keys = append(keys, "document "+p)
	}
	slices.Sort(keys)
	return strings.Join(keys, "\n")
}
