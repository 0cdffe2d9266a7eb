// Package audit keeps who did what to what, with what was before and after. Each entry carries a hash over itself and the entry before it, so
// that one that was changed or taken out shows.
package audit

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"io"
	"slices"
	"strings"
	"unicode/utf8"

	"github.com/gowebpki/jcs"

	"jolvex/core/cells"
	"jolvex/internal/store/register"
)

// Room keeps the trail of one data folder.
type Room struct{ register *register.Register }

// New makes the room.
func New(r *register.Register) *Room { return &Room{r} }

// Outcomes of what somebody wanted to do.
const (
	Done    = "done"
	Refused = "refused" // they may not
	Failed  = "failed"
)

// Altered is one value before and after, by its JSON pointer (RFC 6901); a side that is empty was not there.
type Altered struct {
	Path   string `json:"path"`
	Before string `json:"before,omitempty"`
	After  string `json:"after,omitempty"`
}

// Deed is one line of the trail.
type Deed struct {
	Seq       int64     `json:"seq"`
	At        string    `json:"at"`
	Person    string    `json:"person,omitempty" doc:"Id of the person"`
	Who       string    `json:"who"`
	Via       string    `json:"via" doc:"session, machine (nobody signs in there), command (the command line)"`
	Address   string    `json:"address,omitempty"`
	Corpus    string    `json:"corpus,omitempty"`
	CorpusID  string    `json:"corpusId,omitempty"`
	Operation string    `json:"operation"`
	Target    string    `json:"target,omitempty" doc:"What it was done to, as the address of the operation names it"`
	Changes   []Altered `json:"changes" nullable:"false"`
	Outcome   string    `json:"outcome" enum:"done,refused,failed"`
	Prev      string    `json:"prev" doc:"Hash of the entry before"`
	Hash      string    `json:"hash" doc:"SHA-256 of this entry without its hash, as canonical JSON (RFC 8785)"`
}

// seal gives an entry's hash.
func seal(e Deed) (string, error) {
	e.Hash = ""
	raw, err := json.Marshal(e)
	if err != nil {
		return "", err
	}
	canonical, err := jcs.Transform(raw)
	if err != nil {
		return "", fmt.Errorf("write an entry of the audit trail: %w", err)
	}
	sum := sha256.Sum256(canonical)
	return hex.EncodeToString(sum[:]), nil
}

func shown(r register.Entry) (Deed, error) {
	e := Deed{
		Seq: r.Seq, At: r.At, Person: r.Person, Who: r.Who, Via: r.Via, Address: r.Address, Corpus: r.Corpus, CorpusID: r.CorpusID, Operation: r.Operation, Target: r.Target,
		Outcome: r.Outcome, Prev: r.Prev, Hash: r.Hash,
	}
	if err := json.Unmarshal([]byte(r.Changes), &e.Changes); err != nil {
		return e, fmt.Errorf("entry %d of the audit trail cannot be read: %w", r.Seq, err)
	}
	return e, nil
}

// Limits of what an entry keeps.
const (
	mostChanges = 60
	longestSide = 300 // letters
	longestText = 500 // of who and target
)

// Record adds an entry; its number, time and hashes are given here.
func (rm *Room) Record(ctx context.Context, e Deed) error {
	if len(e.Changes) > mostChanges {
		more := len(e.Changes) - mostChanges + 1
		e.Changes = append(slices.Clone(e.Changes[:mostChanges-1]), Altered{Path: "", After: fmt.Sprintf("and %d more", more)})
	}
	if e.Changes == nil {
		e.Changes = []Altered{}
	}
	for n := range e.Changes {
		e.Changes[n].Before, e.Changes[n].After = short(e.Changes[n].Before, longestSide), short(e.Changes[n].After, longestSide)
	}
	changes, err := json.Marshal(e.Changes)
	if err != nil {
		return err
	}
	return rm.register.Record(ctx, register.Entry{
		Person: e.Person, Who: short(e.Who, longestText), Via: e.Via, Address: e.Address, CorpusID: e.CorpusID, Corpus: e.Corpus, Operation: e.Operation,
		Target: short(e.Target, longestText), Changes: string(changes), Outcome: e.Outcome,
	}, func(r register.Entry) (string, error) {
		x, err := shown(r)
		if err != nil {
			return "", err
		}
		return seal(x)
	})
}

func short(s string, most int) string {
	s = strings.ToValidUTF8(s, "\uFFFD")
	if utf8.RuneCountInString(s) <= most {
		return s
	}
	return string([]rune(s)[:most-1]) + "…"
}

// List gives entries, the newest first.
func (rm *Room) List(ctx context.Context, f register.TrailFilter) ([]Deed, error) {
	rows, err := rm.register.Trail(ctx, f)
	if err != nil {
		return nil, err
	}
	out := []Deed{}
	for _, r := range rows {
		e, err := shown(r)
		if err != nil {
			return nil, err
		}
		out = append(out, e)
	}
	return out, nil
}

// Checked is what a walk along the chain found.
type Checked struct {
	Entries int64  `json:"entries"`
	Head    string `json:"head" doc:"Hash of the last entry. Keep it elsewhere: with it, entries that were cut off the end show too"`
	Broken  int64  `json:"broken,omitempty" doc:"Number of the first entry that does not follow from those before it; none when all is well"`
	Problem string `json:"problem,omitempty"`
}

// Check walks the chain from its beginning.
func (rm *Room) Check(ctx context.Context) (Checked, error) {
	var out Checked
	for {
		rows, err := rm.register.TrailFrom(ctx, out.Entries+1)
		if err != nil || len(rows) == 0 {
			return out, err
		}
		for _, r := range rows {
			if problem := follows(r, out); problem != "" {
				out.Broken, out.Problem = r.Seq, problem
				return out, nil
			}
			out.Entries, out.Head = r.Seq, r.Hash
		}
	}
}

// follows says what is wrong with an entry as the next of a chain; empty when nothing is.
func follows(r register.Entry, so Checked) string {
	if r.Seq != so.Entries+1 {
		return fmt.Sprintf("entry %d follows entry %d: %d are missing between them", r.Seq, so.Entries, r.Seq-so.Entries-1)
	}
	if r.Prev != so.Head {
		return fmt.Sprintf("entry %d was written after another entry than the one that stands before it", r.Seq)
	}
	e, err := shown(r)
	if err != nil {
		return err.Error()
	}
	if sum, err := seal(e); err != nil || sum != r.Hash {
		return fmt.Sprintf("entry %d was changed after it was written", r.Seq)
	}
	return ""
}

// Export writes entries, the newest first: as JSON Lines, by which the chain can be checked elsewhere, or as CSV.
func (rm *Room) Export(ctx context.Context, w io.Writer, form string, f register.TrailFilter) error {
	f.Limit = 1000
	table := cells.NewWriter(w)
	lines := json.NewEncoder(w)
	if form == "csv" {
		if err := table.Write([]string{"seq", "at", "who", "via", "address", "corpus", "operation", "target", "outcome", "changes", "prev", "hash"}); err != nil {
			return err
		}
	}
	for {
		list, err := rm.List(ctx, f)
		if err != nil {
			return err
		}
		for _, e := range list {
			if form != "csv" {
				if err := lines.Encode(e); err != nil {
					return err
				}
				continue
			}
			changes := make([]string, len(e.Changes))
			for n, c := range e.Changes {
				changes[n] = c.Path + ": " + c.Before + " -> " + c.After
			}
			row := []string{fmt.Sprint(e.Seq), e.At, e.Who, e.Via, e.Address, e.Corpus, e.Operation, e.Target, e.Outcome, strings.Join(changes, "; "), e.Prev, e.Hash}
			if err := table.Write(row); err != nil {
				return err
			}
		}
		if len(list) < f.Limit {
			table.Flush()
			return table.Error()
		}
		f.Before = list[len(list)-1].Seq
	}
}
