package store

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"time"

	"github.com/google/uuid"
	"github.com/jmoiron/sqlx"
)

// The kinds of source.
const (
	KindSite    = "site"    // a start address: links and sitemaps lead to the rest
	KindSitemap = "sitemap" // what a sitemap names
	KindList    = "list"    // addresses, one by one
	KindFeed    = "feed"    // what a feed names: pages, transcripts
	KindUpload  = "upload"  // files that were handed over
	KindFolder  = "folder"  // a folder on this machine, watched
	KindText    = "text"    // pasted texts
	KindPairs   = "pairs"   // questions with their answers
)

// Source is one place that documents come from.
type Source struct {
	ID        string `db:"id"`
	Corpus    string `db:"corpus_id"`
	Kind      string `db:"kind"`
	Address   string `db:"address"`
	Name      string `db:"name"`
	Audience  string `db:"audience"`
	Marks     string `db:"marks"`
	Raw       string `db:"settings"`
	Schedule  string `db:"schedule"`
	NextAt    string `db:"next_at"`
	VisitedAt string `db:"visited_at"`
	Chosen    bool   `db:"chosen"`
	Notices   string `db:"notices"`
	CreatedAt string `db:"created_at"`

	HeldSince    string `db:"held_since"`    // since when changes wait for a person; "" when none do
	HeldWhy      string `db:"held_why"`      // JSON: what the guard against loss saw
	Trouble      string `db:"trouble"`       // what kept the last visit from reaching the source
	TroubleSince string `db:"trouble_since"` // since which visit
}

// SourceSettings say how a source is gathered.
type SourceSettings struct {
	AllowPrivate bool     `json:"allowPrivate,omitempty" doc:"The hosts that its own addresses name may be private or on this machine; no others"`
	PrivateHosts []string `json:"privateHosts,omitempty" maxItems:"50" doc:"Further hosts, as host:port, that may be private or on this machine" nullable:"false"`
	PageCap      int      `json:"pageCap,omitempty" doc:"The most pages to take in; 0 stands for 5000"`
	Depth        int      `json:"depth,omitempty" doc:"The most links to follow from the start address; 0 stands for any number"`
	Include      []string `json:"include,omitempty" doc:"Path patterns of what to take in, * for anything and $ for the end; none stands for all" nullable:"false"`
	Exclude      []string `json:"exclude,omitempty" doc:"Path patterns of what to leave alone, * for anything and $ for the end" nullable:"false"`
	Delay        int      `json:"delay,omitempty" doc:"Milliseconds between requests to one host; 0 stands for 1000, or none on a loopback address"`
	Choose       bool     `json:"choose,omitempty" doc:"Show what is found first and take in only what is chosen"`
	NewPages     string   `json:"newPages,omitempty" enum:"ask,take,leave," doc:"What becomes of pages found after the choice: ask, take in, leave out; ask when not given"`
	Render       string   `json:"render,omitempty" enum:"never,empty,always," doc:"Whether pages are opened in a browser: never, when one comes back empty, always; never when not given"`
	Closed       bool     `json:"closed,omitempty" doc:"Leave out what pages show only when a button or tab is pressed"`
	RenderCap    int      `json:"renderCap,omitempty" doc:"The most pages to open in a browser in one visit; 0 stands for 200"`
	Quiet        int      `json:"quiet,omitempty" minimum:"0" maximum:"20000" doc:"Milliseconds without change after which a page in the browser is read; 0 stands for 600"`
	Home         string   `json:"home,omitempty" doc:"The host that the start address of a site leads to, with its scheme; found at the first visit"`
	Addresses    []string `json:"addresses,omitempty" doc:"The addresses of an address list" nullable:"false"`
	LossShare    int      `json:"lossShare,omitempty" minimum:"0" maximum:"100" doc:"Percent of its documents that one visit may take away before a person is asked; 0 stands for 20"`
	LossLeast    int      `json:"lossLeast,omitempty" minimum:"0" doc:"The fewest documents that count as such a loss, unless they are all there is; 0 stands for 5"`
}

// Settings reads the source's settings.
func (s Source) Settings() (SourceSettings, error) {
	var out SourceSettings
	if err := json.Unmarshal([]byte(s.Raw), &out); err != nil {
		return out, fmt.Errorf("read the settings of source %s: %w", s.Address, err)
	}
	return out, nil
}

// AddSource returns the corpus's source of that kind and address, making it when missing; settings are replaced.
func (s *Store) AddSource(ctx context.Context, corpus, kind, address, audience string, set SourceSettings) (Source, error) {
	raw, err := json.Marshal(set)
	if err != nil {
		return Source{}, err
	}
	var out Source
	err = s.Write(ctx, "add source "+address, func(tx *sqlx.Tx) error {
		if _, err := tx.ExecContext(ctx, `INSERT INTO sources (id, corpus_id, kind, address, audience, settings, created_at) VALUES (?, ?, ?, ?, ?, ?, ?)
			ON CONFLICT (corpus_id, kind, address) DO UPDATE SET settings = excluded.settings`,
			uuid.NewString(), corpus, kind, address, audience, string(raw), s.Stamp()); err != nil {
			return err
		}
		return tx.GetContext(ctx, &out, `SELECT * FROM sources WHERE corpus_id = ? AND kind = ? AND address = ?`, corpus, kind, address)
	})
	return out, err
}

// SourceAt finds a corpus's source of that kind and address; ErrMissing when there is none.
func (s *Store) SourceAt(ctx context.Context, corpus, kind, address string) (Source, error) {
	var out Source
	return out, s.Get(ctx, &out, "the source "+address, `SELECT * FROM sources WHERE corpus_id = ? AND kind = ? AND address = ?`, corpus, kind, address)
}

// SaveSource stores a source's name, settings, schedule, audience and marks. Documents that the audience or the marks
// concern are indexed anew.
func (s *Store) SaveSource(ctx context.Context, src Source) error {
	return s.Write(ctx, "save source "+src.Address, func(tx *sqlx.Tx) error {
		var before Source
		if err := tx.GetContext(ctx, &before, `SELECT * FROM sources WHERE id = ?`, src.ID); err != nil {
			return err
		}
		if _, err := tx.NamedExecContext(ctx, `UPDATE sources SET name = :name, settings = :settings, schedule = :schedule, next_at = :next_at, audience = :audience, marks = :marks, chosen = :chosen WHERE id = :id`, src); err != nil {
			return err
		}
		if before.Audience == src.Audience && before.Marks == src.Marks {
			return nil
		}
		_, err := tx.ExecContext(ctx, `UPDATE documents SET state = 'fetched' WHERE source_id = ? AND state IN ('indexed', 'unchanged') AND (own_audience = '' OR own_marks IS NULL)`, src.ID)
		return err
	})
}

// Reread has every page of a source sent whole at its next visit, whether it has changed or not: other settings may find more in it.
func (s *Store) Reread(ctx context.Context, source string) error {
	return s.Write(ctx, "read a source anew", func(tx *sqlx.Tx) error {
		_, err := tx.ExecContext(ctx, `UPDATE documents SET read_by = '' WHERE source_id = ?`, source)
		return err
	})
}

// MarkDocument sets a document's own audience and marks; "" and nil stand for those of its source. It is indexed anew.
func (s *Store) MarkDocument(ctx context.Context, id, audience string, marks *string) error {
	return s.Write(ctx, "mark a document", func(tx *sqlx.Tx) error {
		_, err := tx.ExecContext(ctx, `UPDATE documents SET own_audience = ?, own_marks = ?, state = CASE WHEN state IN ('indexed', 'unchanged') THEN 'fetched' ELSE state END WHERE id = ?`, audience, marks, id)
		return err
	})
}

// Visited records the end of a visit and what it has to say, besides what was said since it began; see Revisit.
func (s *Store) Visited(ctx context.Context, id string, notices []string) error {
	return s.Write(ctx, "end a visit", func(tx *sqlx.Tx) error {
		var before string
		if err := tx.GetContext(ctx, &before, `SELECT notices FROM sources WHERE id = ?`, id); err != nil {
			return err
		}
		all := []string{}
		if err := json.Unmarshal([]byte(before), &all); err != nil {
			return fmt.Errorf("read the notices: %w", err)
		}
		for _, n := range notices {
			if !slices.Contains(all, n) {
				all = append(all, n)
			}
		}
		raw, err := json.Marshal(all)
		if err != nil {
			return err
		}
		_, err = tx.ExecContext(ctx, `UPDATE sources SET visited_at = ?, notices = ? WHERE id = ?`, s.Stamp(), string(raw), id)
		return err
	})
}

// DueSources lists the sources of all corpora whose schedule is due, and sets each to its next time.
func (s *Store) DueSources(ctx context.Context, next func(Source) string) ([]Source, error) {
	var out []Source
	if err := s.List(ctx, &out, "look for sources that are due", `SELECT * FROM sources WHERE next_at <> '' AND next_at <= ?`, s.Stamp()); err != nil || len(out) == 0 {
		return nil, err
	}
	return out, s.Write(ctx, "schedule the next visits", func(tx *sqlx.Tx) error {
		for _, src := range out {
			if _, err := tx.ExecContext(ctx, `UPDATE sources SET next_at = ? WHERE id = ?`, next(src), src.ID); err != nil {
				return err
			}
		}
		return nil
	})
}

// Stamp is a moment as it is stored.
func Stamp(t time.Time) string { return t.UTC().Format(timeForm) }

// Source finds a source by id.
func (s *Store) Source(ctx context.Context, id string) (Source, error) {
	var out Source
	return out, s.Get(ctx, &out, "source "+id, `SELECT * FROM sources WHERE id = ?`, id)
}

// Sources lists a corpus's sources, oldest first.
func (s *Store) Sources(ctx context.Context, corpus string) ([]Source, error) {
	out := []Source{}
	return out, s.List(ctx, &out, "list sources", `SELECT * FROM sources WHERE corpus_id = ? ORDER BY created_at, id`, corpus)
}

// SourcesOf lists the sources of one kind in all corpora.
func (s *Store) SourcesOf(ctx context.Context, kind string) ([]Source, error) {
	var out []Source
	return out, s.List(ctx, &out, "list sources", `SELECT * FROM sources WHERE kind = ? ORDER BY created_at, id`, kind)
}

// DeleteSource removes a source with its documents and their history.
func (s *Store) DeleteSource(ctx context.Context, id string) error {
	return s.Write(ctx, "remove a source", func(tx *sqlx.Tx) error {
		_, err := tx.ExecContext(ctx, `DELETE FROM sources WHERE id = ?`, id)
		return err
	})
}

// Choose takes in the documents of a source that are named and leaves out all others that are in or that nobody has chosen.
// What a page itself or robots.txt keeps out of a source that was taken in as a whole stays to be visited. What has
// been fetched is indexed without fetching it again; what was left out so far and never fetched goes to the frontier.
func (s *Store) Choose(ctx context.Context, source string, taken []string) (in, out int, err error) {
	err = s.Write(ctx, "choose pages", func(tx *sqlx.Tx) error {
		if _, err := tx.ExecContext(ctx, `CREATE TEMP TABLE IF NOT EXISTS taken (id TEXT PRIMARY KEY)`); err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, `DELETE FROM taken`); err != nil {
			return err
		}
		for _, id := range taken {
			if _, err := tx.ExecContext(ctx, `INSERT OR IGNORE INTO taken VALUES (?)`, id); err != nil {
				return err
			}
		}
		if _, err := tx.ExecContext(ctx, `UPDATE documents SET choice = 'in', reason = '', gone_at = '', state = CASE WHEN version <> '' THEN 'fetched' ELSE 'waiting' END
			WHERE source_id = ? AND choice <> 'in' AND state IN ('fetched', 'left out', 'waiting', 'failed') AND id IN (SELECT id FROM taken)`, source); err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, `UPDATE documents SET choice = 'out', reason = CASE WHEN state IN ('left out', 'failed') THEN reason ELSE 'not chosen' END,
			gone_at = CASE WHEN state IN ('indexed', 'unchanged') THEN ? ELSE gone_at END,
			state = CASE WHEN state = 'failed' THEN state ELSE 'left out' END, revisit = 0
			WHERE source_id = ? AND choice <> 'out' AND NOT (choice = 'in' AND state = 'left out') AND id NOT IN (SELECT id FROM taken)`, s.Stamp(), source); err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, `UPDATE sources SET chosen = 1 WHERE id = ?`, source); err != nil {
			return err
		}
		if err := tx.GetContext(ctx, &in, `SELECT count(*) FROM documents WHERE source_id = ? AND choice = 'in'`, source); err != nil {
			return err
		}
		return tx.GetContext(ctx, &out, `SELECT count(*) FROM documents WHERE source_id = ? AND choice = 'out'`, source)
	})
	return in, out, err
}

// Pages lists all documents of a source by address, for choosing among them.
func (s *Store) Pages(ctx context.Context, source string) ([]Document, error) {
	out := []Document{}
	return out, s.List(ctx, &out, "list pages", `SELECT `+documentColumns+` WHERE d.source_id = ? ORDER BY d.address, d.id`, source)
}
