package store

import (
	"context"
	"encoding/json"
	"fmt"
	"strings"

	"github.com/google/uuid"
	"github.com/jmoiron/sqlx"

	"jolvex/core/doc"
)

// Source is one place that documents come from.
type Source struct {
	ID        string `db:"id"`
	Corpus    string `db:"corpus_id"`
	Kind      string `db:"kind"`
	Address   string `db:"address"`
	Audience  string `db:"audience"`
	Raw       string `db:"settings"`
	CreatedAt string `db:"created_at"`
}

// SourceSettings say how a site is gathered.
type SourceSettings struct {
	AllowPrivate bool     `json:"allowPrivate,omitempty" doc:"May reach private and loopback addresses"`
	PageCap      int      `json:"pageCap,omitempty" doc:"The most pages to take in; 0 stands for 5000"`
	Exclude      []string `json:"exclude,omitempty" doc:"Path prefixes to leave alone" nullable:"false"`
	Delay        int      `json:"delay,omitempty" doc:"Milliseconds between requests to one host; 0 stands for 1000, or none on a loopback address"`
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
	err = s.write(ctx, "add source "+address, func(tx *sqlx.Tx) error {
		if _, err := tx.ExecContext(ctx, `INSERT INTO sources (id, corpus_id, kind, address, audience, settings, created_at) VALUES (?, ?, ?, ?, ?, ?, ?)
			ON CONFLICT (corpus_id, kind, address) DO UPDATE SET settings = excluded.settings`,
			uuid.NewString(), corpus, kind, address, audience, string(raw), s.stamp()); err != nil {
			return err
		}
		return tx.GetContext(ctx, &out, `SELECT * FROM sources WHERE corpus_id = ? AND kind = ? AND address = ?`, corpus, kind, address)
	})
	return out, err
}

// Source finds a source by id.
func (s *Store) Source(ctx context.Context, id string) (Source, error) {
	var out Source
	return out, s.get(ctx, &out, "source "+id, `SELECT * FROM sources WHERE id = ?`, id)
}

// Sources lists a corpus's sources, oldest first.
func (s *Store) Sources(ctx context.Context, corpus string) ([]Source, error) {
	out := []Source{}
	return out, s.list(ctx, &out, "list sources", `SELECT * FROM sources WHERE corpus_id = ? ORDER BY created_at, id`, corpus)
}

// The states of a document.
const (
	Waiting   = "waiting"
	Fetched   = "fetched"
	Indexed   = "indexed"
	Unchanged = "unchanged"
	LeftOut   = "left out"
	Failed    = "failed"
)

// Document is one page or file of a source.
type Document struct {
	ID           string `db:"id"`
	Corpus       string `db:"corpus_id"`
	Source       string `db:"source_id"`
	Key          string `db:"key"`
	Address      string `db:"address"`
	Title        string `db:"title"`
	State        string `db:"state"`
	Reason       string `db:"reason"`
	Version      string `db:"version"`
	MediaType    string `db:"media_type"`
	Status       int    `db:"status"`
	Bytes        int    `db:"bytes"`
	Words        int    `db:"words"`
	Attempts     int    `db:"attempts"`
	Depth        int    `db:"depth"`
	FoundOn      string `db:"found_on"`
	ETag         string `db:"etag"`
	LastModified string `db:"last_modified"`
	FoundAt      string `db:"found_at"`
	ChangedAt    string `db:"changed_at"`
	Revisit      bool   `db:"revisit"`  // in the frontier again
	Audience     string `db:"audience"` // of its source
}

const documentColumns = `d.id, d.corpus_id, d.source_id, d.key, d.address, d.title, d.state, d.reason, d.version, d.media_type, d.status, d.bytes, d.words,
	d.attempts, d.depth, d.found_on, d.etag, d.last_modified, d.found_at, d.changed_at, d.revisit, s.audience FROM documents d JOIN sources s ON s.id = d.source_id`

// Address is a page that was found and is to be fetched.
type Address struct{ Key, Address, FoundOn string }

// AddAddresses puts addresses in the frontier that the source does not know yet, until it has most documents. It returns
// how many are new.
func (s *Store) AddAddresses(ctx context.Context, src Source, depth, most int, as []Address) (added int, err error) {
	if len(as) == 0 {
		return 0, nil
	}
	err = s.write(ctx, "add addresses to "+src.Address, func(tx *sqlx.Tx) error {
		added, err = s.addAddresses(ctx, tx, src, depth, most, as)
		return err
	})
	return added, err
}

func (s *Store) addAddresses(ctx context.Context, tx *sqlx.Tx, src Source, depth, most int, as []Address) (added int, err error) {
	var have int
	if err := tx.GetContext(ctx, &have, `SELECT count(*) FROM documents WHERE source_id = ?`, src.ID); err != nil {
		return 0, err
	}
	for _, a := range as {
		if have+added >= most {
			break
		}
		now := s.stamp()
		r, err := tx.ExecContext(ctx, `INSERT INTO documents (id, corpus_id, source_id, key, address, state, depth, found_on, found_at, changed_at)
			VALUES (?, ?, ?, ?, ?, 'waiting', ?, ?, ?, ?) ON CONFLICT (source_id, key) DO NOTHING`, uuid.NewString(), src.Corpus, src.ID, a.Key, a.Address, depth, a.FoundOn, now, now)
		if err != nil {
			return 0, err
		}
		if n, err := r.RowsAffected(); err == nil {
			added += int(n)
		}
	}
	return added, nil
}

// Waiting gives documents of a source that are to be fetched or visited again, nearest to the start first.
func (s *Store) Waiting(ctx context.Context, source string, limit int) ([]Document, error) {
	var out []Document
	return out, s.list(ctx, &out, "read the frontier", `SELECT `+documentColumns+` WHERE d.source_id = ? AND (d.state = 'waiting' OR d.revisit = 1) ORDER BY d.depth, d.rowid LIMIT ?`, source, limit)
}

// Outcome is what came of fetching one document.
type Outcome struct {
	State, Reason, Title, MediaType  string
	ETag, LastModified, Address, Key string // Address and Key when a redirect moved the document; else ""
	Status, Bytes, Words, Attempts   int
	Hash                             string        // of Content
	Content                          *doc.Document // nil when there is none
	Found                            []Address
	Cap                              int
}

// Due counts the documents of a source, and those of them that are to be fetched or visited again.
func (s *Store) Due(ctx context.Context, source string) (due, total int, err error) {
	var r struct{ Due, Total int }
	err = s.get(ctx, &r, "count the frontier", `SELECT coalesce(sum(state = 'waiting' OR revisit = 1), 0) AS due, count(*) AS total FROM documents WHERE source_id = ?`, source)
	return r.Due, r.Total, err
}

// Departed lists documents that had a version and have none now: they failed or were left out when last visited.
func (s *Store) Departed(ctx context.Context, corpus string) ([]string, error) {
	var out []string
	return out, s.list(ctx, &out, "list departed documents", `SELECT id FROM documents d WHERE corpus_id = ? AND state IN ('failed', 'left out') AND EXISTS (SELECT 1 FROM document_versions v WHERE v.document_id = d.id)`, corpus)
}

// Finish stores what came of fetching d: its state, its new version and the addresses found on it, in one transaction.
// When the text is that of another document of the same corpus, or the address it was moved to is known, d is left out.
func (s *Store) Finish(ctx context.Context, d Document, src Source, o Outcome) (Outcome, error) {
	err := s.write(ctx, "store "+d.Address, func(tx *sqlx.Tx) error {
		if o.State == Unchanged {
			if _, err := tx.ExecContext(ctx, `UPDATE documents SET state = CASE state WHEN 'indexed' THEN 'unchanged' ELSE state END, reason = ?, status = ?, attempts = ?, revisit = 0 WHERE id = ?`, o.Reason, o.Status, o.Attempts, d.ID); err != nil {
				return err
			}
			_, err := s.addAddresses(ctx, tx, src, d.Depth+1, o.Cap, o.Found)
			return err
		}
		if o.Key != "" && o.Key != d.Key {
			var other string
			if err := tx.GetContext(ctx, &other, `SELECT coalesce(max(address), '') FROM documents WHERE source_id = ? AND key = ?`, src.ID, o.Key); err != nil {
				return err
			}
			if other != "" {
				o.State, o.Reason, o.Content = LeftOut, "leads to "+other+", which is here already", nil
				o.Key, o.Address = "", ""
			}
		}
		if o.Content != nil {
			var same []string
			if err := tx.SelectContext(ctx, &same, `SELECT address FROM documents WHERE corpus_id = ? AND version = ? AND id <> ? AND state IN ('fetched', 'indexed', 'unchanged') LIMIT 1`, d.Corpus, o.Hash, d.ID); err != nil {
				return err
			}
			if len(same) > 0 {
				o.State, o.Reason, o.Content = LeftOut, "has the same text as "+same[0], nil
			}
		}
		version := ""
		if o.Content != nil {
			version = o.Hash
			if err := s.putVersion(ctx, tx, d.ID, o.Hash, o.Content); err != nil {
				return err
			}
		}
		if o.Key == "" {
			o.Key, o.Address = d.Key, d.Address
		}
		if _, err := tx.ExecContext(ctx, `UPDATE documents SET state = ?, reason = ?, title = ?, media_type = ?, etag = ?, last_modified = ?, status = ?, bytes = ?,
			words = ?, attempts = ?, version = ?, key = ?, address = ?, changed_at = ?, revisit = 0 WHERE id = ?`, o.State, o.Reason, o.Title, o.MediaType, o.ETag, o.LastModified, o.Status,
			o.Bytes, o.Words, o.Attempts, version, o.Key, o.Address, s.stamp(), d.ID); err != nil {
			return err
		}
		_, err := s.addAddresses(ctx, tx, src, d.Depth+1, o.Cap, o.Found)
		return err
	})
	return o, err
}

func (s *Store) putVersion(ctx context.Context, tx *sqlx.Tx, document, hash string, d *doc.Document) error {
	body, err := s.pack(d)
	if err != nil {
		return err
	}
	if _, err := tx.ExecContext(ctx, `INSERT INTO versions (hash, body, created_at) VALUES (?, ?, ?) ON CONFLICT DO NOTHING`, hash, body, s.stamp()); err != nil {
		return err
	}
	_, err = tx.ExecContext(ctx, `INSERT INTO document_versions (document_id, version, fetched_at) VALUES (?, ?, ?) ON CONFLICT DO NOTHING`, document, hash, s.stamp())
	return err
}

// Upload stores one uploaded file as a document of src. A file of the same name replaces it and keeps its identity.
func (s *Store) Upload(ctx context.Context, src Source, key, address string, o Outcome) (Document, error) {
	var out Document
	err := s.write(ctx, "store "+address, func(tx *sqlx.Tx) error {
		now := s.stamp()
		if _, err := tx.ExecContext(ctx, `INSERT INTO documents (id, corpus_id, source_id, key, address, state, found_at, changed_at) VALUES (?, ?, ?, ?, ?, 'waiting', ?, ?)
			ON CONFLICT (source_id, key) DO NOTHING`, uuid.NewString(), src.Corpus, src.ID, key, address, now, now); err != nil {
			return err
		}
		var before struct{ ID, Version, State string }
		if err := tx.GetContext(ctx, &before, `SELECT id, version, state FROM documents WHERE source_id = ? AND key = ?`, src.ID, key); err != nil {
			return err
		}
		if o.Content != nil {
			if before.Version == o.Hash && before.State == Indexed {
				o.State = Indexed
			}
			if err := s.putVersion(ctx, tx, before.ID, o.Hash, o.Content); err != nil {
				return err
			}
		}
		if _, err := tx.ExecContext(ctx, `UPDATE documents SET state = ?, reason = ?, title = ?, media_type = ?, bytes = ?, words = ?, version = ?, address = ?, changed_at = ? WHERE id = ?`,
			o.State, o.Reason, o.Title, o.MediaType, o.Bytes, o.Words, o.Hash, address, now, before.ID); err != nil {
			return err
		}
		return tx.GetContext(ctx, &out, `SELECT `+documentColumns+` WHERE d.id = ?`, before.ID)
	})
	return out, err
}

// Retry puts documents back into the frontier; only failed and left-out ones are taken. With no ids, all failed ones of
// the corpus are. It returns the sources that have work again.
func (s *Store) Retry(ctx context.Context, corpus string, ids []string) (sources []string, n int, err error) {
	where, args := `corpus_id = ? AND state = 'failed'`, []any{corpus}
	if len(ids) > 0 {
		q, more, err := sqlx.In(`corpus_id = ? AND state IN ('failed', 'left out') AND id IN (?)`, corpus, ids)
		if err != nil {
			return nil, 0, err
		}
		where, args = q, more
	}
	where += ` AND source_id IN (SELECT id FROM sources WHERE kind <> 'upload')`
	err = s.write(ctx, "try again", func(tx *sqlx.Tx) error {
		if err := tx.SelectContext(ctx, &sources, `SELECT DISTINCT source_id FROM documents WHERE `+where, args...); err != nil {
			return err
		}
		r, err := tx.ExecContext(ctx, `UPDATE documents SET state = 'waiting', reason = '', attempts = 0 WHERE `+where, args...)
		if err != nil {
			return err
		}
		k, err := r.RowsAffected()
		n = int(k)
		return err
	})
	return sources, n, err
}

// Revisit puts every document of a source back into the frontier: what failed is tried again, the rest is visited to see
// whether it changed. Until then it stays as it is.
func (s *Store) Revisit(ctx context.Context, source string) error {
	return s.write(ctx, "revisit", func(tx *sqlx.Tx) error {
		if _, err := tx.ExecContext(ctx, `UPDATE documents SET state = 'waiting', reason = '', attempts = 0 WHERE source_id = ? AND state = 'failed'`, source); err != nil {
			return err
		}
		_, err := tx.ExecContext(ctx, `UPDATE documents SET revisit = 1, attempts = 0 WHERE source_id = ? AND state IN ('indexed', 'unchanged', 'left out')`, source)
		return err
	})
}

// Filter picks documents of a corpus.
type Filter struct {
	Source, State, Text string
	Limit, Offset       int
}

// Documents lists documents by address, and says how many there are in all.
func (s *Store) Documents(ctx context.Context, corpus string, f Filter) (docs []Document, total int, err error) {
	where, args := []string{`d.corpus_id = ?`}, []any{corpus}
	if f.Source != "" {
		where, args = append(where, `d.source_id = ?`), append(args, f.Source)
	}
	if f.State != "" {
		where, args = append(where, `d.state = ?`), append(args, f.State)
	}
	if f.Text != "" {
		like := "%" + strings.NewReplacer(`\`, `\\`, `%`, `\%`, `_`, `\_`).Replace(f.Text) + "%"
		where, args = append(where, `(d.address LIKE ? ESCAPE '\' OR d.title LIKE ? ESCAPE '\')`), append(args, like, like)
	}
	cond := strings.Join(where, " AND ")
	if err := s.get(ctx, &total, "count documents", `SELECT count(*) FROM documents d WHERE `+cond, args...); err != nil {
		return nil, 0, err
	}
	docs = []Document{}
	err = s.list(ctx, &docs, "list documents", `SELECT `+documentColumns+` WHERE `+cond+` ORDER BY d.address, d.id LIMIT ? OFFSET ?`, append(args, f.Limit, f.Offset)...)
	return docs, total, err
}

// Document finds a document by id.
func (s *Store) Document(ctx context.Context, id string) (Document, error) {
	var out Document
	return out, s.get(ctx, &out, "document "+id, `SELECT `+documentColumns+` WHERE d.id = ?`, id)
}

// Indexable gives documents in one of the states that have a version, by id, after the given one.
func (s *Store) Indexable(ctx context.Context, corpus string, states []string, after string, limit int) ([]Document, error) {
	q, args, err := sqlx.In(`SELECT `+documentColumns+` WHERE d.corpus_id = ? AND d.state IN (?) AND d.version <> '' AND d.id > ? ORDER BY d.id LIMIT ?`, corpus, states, after, limit)
	if err != nil {
		return nil, err
	}
	var out []Document
	return out, s.list(ctx, &out, "list documents to index", q, args...)
}

// CountStates counts a corpus's documents by state; with a source, only that one's.
func (s *Store) CountStates(ctx context.Context, corpus, source string) (map[string]int, error) {
	var rows []struct {
		State string
		N     int
	}
	if err := s.list(ctx, &rows, "count documents", `SELECT state, count(*) AS n FROM documents WHERE corpus_id = ? AND (? = '' OR source_id = ?) GROUP BY state`, corpus, source, source); err != nil {
		return nil, err
	}
	out := map[string]int{}
	for _, r := range rows {
		out[r.State] = r.N
	}
	return out, nil
}

// Version reads one document version.
func (s *Store) Version(ctx context.Context, hash string) (*doc.Document, error) {
	var body []byte
	if err := s.get(ctx, &body, "document version "+hash, `SELECT body FROM versions WHERE hash = ?`, hash); err != nil {
		return nil, err
	}
	var d doc.Document
	if err := s.unpack(body, &d); err != nil {
		return nil, fmt.Errorf("document version %s: %w", hash, err)
	}
	return &d, nil
}
