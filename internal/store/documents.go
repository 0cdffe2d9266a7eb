package store

import (
	"context"
	"fmt"
	"strings"

	"github.com/google/uuid"
	"github.com/jmoiron/sqlx"

	"jolvex/core/doc"
)

// The states of a document.
const (
	Waiting   = "waiting"
	Fetched   = "fetched"
	Indexed   = "indexed"
	Unchanged = "unchanged"
	LeftOut   = "left out"
	Failed    = "failed"
	Found     = "found" // how Fetched is called while nobody has chosen
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
	Choice       string `db:"choice"`   // Taken, Left or Undecided
	Media        string `db:"media"`    // the clip that it is a transcript of
	LastMod      string `db:"lastmod"`  // as the sitemap or feed has it
	Clutter      string `db:"clutter"`  // words, separated by commas
	ReadBy       string `db:"read_by"`  // version of the extraction
	Audience     string `db:"audience"` // its own, else its source's
	Marks        string `db:"marks"`    // its own, else its source's
	OwnAudience  string `db:"own_audience"`
	OwnMarks     bool   `db:"has_marks"`
	SourceKind   string `db:"source_kind"`
}

// Whether a document is to be taken in.
const (
	Taken     = "in"
	Left      = "out"
	Undecided = "open" // nobody has chosen yet
)

const documentColumns = `d.id, d.corpus_id, d.source_id, d.key, d.address, d.title, d.state, d.reason, d.version, d.media_type, d.status, d.bytes, d.words,
	d.attempts, d.depth, d.found_on, d.etag, d.last_modified, d.found_at, d.changed_at, d.revisit, d.choice, d.media, d.lastmod, d.clutter, d.read_by, d.own_audience,
	CASE d.own_audience WHEN '' THEN s.audience ELSE d.own_audience END AS audience, coalesce(d.own_marks, s.marks) AS marks, d.own_marks IS NOT NULL AS has_marks, s.kind AS source_kind FROM documents d JOIN sources s ON s.id = d.source_id`

// Address is a page that was found. One whose Choice is Left is left out with the reason given and not fetched.
type Address struct{ Key, Address, FoundOn, Choice, Reason, LastMod, Title, Media string }

// AddAddresses puts addresses in the frontier that the source does not know yet, until it has most documents. It returns
// how many are new.
func (s *Store) AddAddresses(ctx context.Context, src Source, depth, most int, as []Address) (added int, err error) {
	if len(as) == 0 {
		return 0, nil
	}
	err = s.Write(ctx, "add addresses to "+src.Address, func(tx *sqlx.Tx) error {
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
		if a.Choice == "" {
			a.Choice = Taken
		}
		state := Waiting
		if a.Choice == Left {
			state = LeftOut
		}
		now := s.Stamp()
		r, err := tx.ExecContext(ctx, `INSERT INTO documents (id, corpus_id, source_id, key, address, state, reason, title, choice, lastmod, media, depth, found_on, found_at, changed_at)
			VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?) ON CONFLICT (source_id, key) DO UPDATE SET lastmod = excluded.lastmod WHERE excluded.lastmod > lastmod`,
			uuid.NewString(), src.Corpus, src.ID, a.Key, a.Address, state, a.Reason, a.Title, a.Choice, a.LastMod, a.Media, depth, a.FoundOn, now, now)
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
	return out, s.List(ctx, &out, "read the frontier", `SELECT `+documentColumns+` WHERE d.source_id = ? AND (d.state = 'waiting' OR d.revisit = 1) ORDER BY d.depth, d.rowid LIMIT ?`, source, limit)
}

// Outcome is what came of fetching one document.
type Outcome struct {
	State, Reason, Title, MediaType  string
	Media                            string // "" leaves it as it is
	Clutter, ReadBy                  string
	ETag, LastModified, Address, Key string // Address and Key when a redirect moved the document; else ""
	Status, Bytes, Words, Attempts   int
	Hash                             string        // of Content
	Content                          *doc.Document // nil when there is none
	Found                            []Address
	Cap                              int
}

// SameText begins the reason of a document whose text another one has.
const SameText = "has the same text as "

// Due counts the documents of a source, and those of them that are to be fetched or visited again.
func (s *Store) Due(ctx context.Context, source string) (due, total int, err error) {
	var r struct{ Due, Total int }
	err = s.Get(ctx, &r, "count the frontier", `SELECT coalesce(sum(state = 'waiting' OR revisit = 1), 0) AS due, count(*) AS total FROM documents WHERE source_id = ?`, source)
	return r.Due, r.Total, err
}

// Departed lists documents that had a version and have none now: they failed or were left out when last visited, or were
// not chosen.
func (s *Store) Departed(ctx context.Context, corpus string) ([]string, error) {
	var out []string
	return out, s.List(ctx, &out, "list departed documents", `SELECT id FROM documents d WHERE corpus_id = ? AND state IN ('failed', 'left out') AND EXISTS (SELECT 1 FROM document_versions v WHERE v.document_id = d.id)`, corpus)
}

// Finish stores what came of fetching d: its state, its new version and the addresses found on it, in one transaction.
// When the text is that of another document of the same corpus and audience, or the address it was moved to is known, d is left out.
func (s *Store) Finish(ctx context.Context, d Document, src Source, o Outcome) (Outcome, error) {
	err := s.Write(ctx, "store "+d.Address, func(tx *sqlx.Tx) error {
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
			if err := tx.SelectContext(ctx, &same, `SELECT d.address FROM documents d JOIN sources s ON s.id = d.source_id WHERE d.corpus_id = ? AND d.version = ? AND d.id <> ? AND d.state IN ('fetched', 'indexed', 'unchanged')
				AND CASE d.own_audience WHEN '' THEN s.audience ELSE d.own_audience END = ? LIMIT 1`, d.Corpus, o.Hash, d.ID, d.Audience); err != nil {
				return err
			}
			if len(same) > 0 {
				o.State, o.Reason, o.Content = LeftOut, SameText+same[0], nil
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
		moved := o.Key != d.Key
		if _, err := tx.ExecContext(ctx, `UPDATE documents SET state = ?, reason = ?, title = ?, media_type = ?, etag = ?, last_modified = ?, status = ?, bytes = ?,
			words = ?, attempts = ?, gone_at = CASE WHEN ? <> '' THEN '' WHEN version <> '' THEN ? ELSE gone_at END, version = ?, key = ?, address = ?, changed_at = ?, revisit = 0, read_by = ?, clutter = ?, media = CASE ? WHEN '' THEN media ELSE ? END WHERE id = ?`, o.State, o.Reason, o.Title, o.MediaType, o.ETag, o.LastModified, o.Status,
			o.Bytes, o.Words, o.Attempts, version, s.Stamp(), version, o.Key, o.Address, s.Stamp(), o.ReadBy, o.Clutter, o.Media, o.Media, d.ID); err != nil {
			return err
		}
		if moved { // where it was asked for stays known, with where it led
			old := Address{Key: d.Key, Address: d.Address, FoundOn: d.FoundOn, Choice: Taken}
			if _, err := s.addAddresses(ctx, tx, src, d.Depth, o.Cap+1, []Address{old}); err != nil {
				return err
			}
			if _, err := tx.ExecContext(ctx, `UPDATE documents SET state = 'left out', reason = ?, status = ?, read_by = ? WHERE source_id = ? AND key = ?`, "leads to "+o.Address+", which is here already", o.Status, o.ReadBy, src.ID, d.Key); err != nil {
				return err
			}
		}
		_, err := s.addAddresses(ctx, tx, src, d.Depth+1, o.Cap, o.Found)
		return err
	})
	return o, err
}

// KeepVersion stores a document version that no document has.
func (s *Store) KeepVersion(ctx context.Context, hash string, d *doc.Document) error {
	return s.Write(ctx, "keep a document version", func(tx *sqlx.Tx) error { return s.putBody(ctx, tx, hash, d) })
}

func (s *Store) putVersion(ctx context.Context, tx *sqlx.Tx, document, hash string, d *doc.Document) error {
	if err := s.putBody(ctx, tx, hash, d); err != nil {
		return err
	}
	_, err := tx.ExecContext(ctx, `INSERT INTO document_versions (document_id, version, fetched_at) VALUES (?, ?, ?) ON CONFLICT DO NOTHING`, document, hash, s.Stamp())
	return err
}

func (s *Store) putBody(ctx context.Context, tx *sqlx.Tx, hash string, d *doc.Document) error {
	body, err := s.Pack(d)
	if err != nil {
		return err
	}
	_, err = tx.ExecContext(ctx, `INSERT INTO versions (hash, body, created_at) VALUES (?, ?, ?) ON CONFLICT (hash) DO UPDATE SET created_at = excluded.created_at`, hash, body, s.Stamp())
	return err
}

// Original is a file as it was handed over.
type Original struct {
	MediaType string
	Body      []byte
}

// Original reads the file that a document was made of; ErrMissing when none is kept.
func (s *Store) Original(ctx context.Context, document string) (Original, error) {
	var r struct {
		MediaType string `db:"media_type"`
		Body      []byte
	}
	if err := s.Get(ctx, &r, "the file of document "+document, `SELECT media_type, body FROM originals WHERE document_id = ?`, document); err != nil {
		return Original{}, err
	}
	body, err := s.dec.DecodeAll(r.Body, nil)
	return Original{r.MediaType, body}, err
}

// HasOriginal reports whether the file of a document is kept.
func (s *Store) HasOriginal(ctx context.Context, document string) (bool, error) {
	var n int
	err := s.Get(ctx, &n, "look for the file", `SELECT count(*) FROM originals WHERE document_id = ?`, document)
	return n > 0, err
}

// Past is one version that a document has had.
type Past struct {
	Version   string `db:"version"`
	FetchedAt string `db:"fetched_at"`
}

// History lists the versions of a document, the newest first.
func (s *Store) History(ctx context.Context, document string) ([]Past, error) {
	var out []Past
	return out, s.List(ctx, &out, "read the history", `SELECT version, fetched_at FROM document_versions WHERE document_id = ? ORDER BY fetched_at DESC, rowid DESC`, document)
}

// Changes are the documents of a corpus that came, changed or went after a moment.
type Changes struct {
	Added, Gone []Document
	Changed     []ChangedDocument
}

// ChangedDocument is a document with the version that it had at that moment.
type ChangedDocument struct {
	Document
	Before string `db:"before"`
}

// ChangesSince lists what came, changed and went after a moment.
func (s *Store) ChangesSince(ctx context.Context, corpus, since string) (c Changes, err error) {
	const alive = ` WHERE d.corpus_id = ? AND d.version <> '' AND d.choice = 'in' AND d.state IN ('fetched', 'indexed', 'unchanged')`
	if err := s.List(ctx, &c.Added, "list what came", `SELECT `+documentColumns+alive+` AND NOT EXISTS (SELECT 1 FROM document_versions v WHERE v.document_id = d.id AND v.fetched_at <= ?) ORDER BY d.address`, corpus, since); err != nil {
		return c, err
	}
	if err := s.List(ctx, &c.Changed, "list what changed", `SELECT * FROM (SELECT (SELECT v.version FROM document_versions v WHERE v.document_id = d.id AND v.fetched_at <= ? ORDER BY v.fetched_at DESC, v.rowid DESC LIMIT 1) AS before, `+documentColumns+alive+`) x
		WHERE before IS NOT NULL AND before <> version ORDER BY address`, since, corpus); err != nil {
		return c, err
	}
	err = s.List(ctx, &c.Gone, "list what went", `SELECT `+documentColumns+` WHERE d.corpus_id = ? AND d.gone_at > ? AND d.state IN ('failed', 'left out') ORDER BY d.address`, corpus, since)
	return c, err
}

// LeaveOut takes documents out: they stay known, with their version, and are not visited.
func (s *Store) LeaveOut(ctx context.Context, ids []string, reason string) error {
	return s.each(ctx, ids, "leave out documents", `UPDATE documents SET choice = 'out', state = 'left out', reason = ?, revisit = 0, gone_at = CASE WHEN version <> '' THEN ? ELSE gone_at END WHERE id IN (?)`, reason, s.Stamp())
}

// TakeBack takes in again what was left out by choice.
func (s *Store) TakeBack(ctx context.Context, ids []string) error {
	return s.each(ctx, ids, "take documents in", `UPDATE documents SET choice = 'in', reason = '', gone_at = '', state = CASE WHEN version <> '' THEN 'fetched' ELSE 'waiting' END WHERE choice <> 'in' AND id IN (?)`)
}

func (s *Store) each(ctx context.Context, ids []string, what, query string, args ...any) error {
	if len(ids) == 0 {
		return nil
	}
	return s.Write(ctx, what, func(tx *sqlx.Tx) error {
		q, all, err := sqlx.In(query, append(args, ids)...)
		if err != nil {
			return err
		}
		_, err = tx.ExecContext(ctx, q, all...)
		return err
	})
}

// DeleteDocument removes a document with its history.
func (s *Store) DeleteDocument(ctx context.Context, id string) error {
	return s.Write(ctx, "remove a document", func(tx *sqlx.Tx) error {
		_, err := tx.ExecContext(ctx, `DELETE FROM documents WHERE id = ?`, id)
		return err
	})
}

// Upload stores one file or text as a document of src, with the file itself. One of the same key replaces it and keeps its
// identity.
func (s *Store) Upload(ctx context.Context, src Source, key, address string, o Outcome, file *Original) (Document, error) {
	var out Document
	err := s.Write(ctx, "store "+address, func(tx *sqlx.Tx) error {
		now := s.Stamp()
		if _, err := tx.ExecContext(ctx, `INSERT INTO documents (id, corpus_id, source_id, key, address, state, found_at, changed_at) VALUES (?, ?, ?, ?, ?, 'waiting', ?, ?)
			ON CONFLICT (source_id, key) DO NOTHING`, uuid.NewString(), src.Corpus, src.ID, key, address, now, now); err != nil {
			return err
		}
		var before struct{ ID, Version, State string }
		if err := tx.GetContext(ctx, &before, `SELECT id, version, state FROM documents WHERE source_id = ? AND key = ?`, src.ID, key); err != nil {
			return err
		}
		if file != nil {
			if _, err := tx.ExecContext(ctx, `INSERT INTO originals (document_id, media_type, body) VALUES (?, ?, ?) ON CONFLICT (document_id) DO UPDATE SET media_type = excluded.media_type, body = excluded.body`,
				before.ID, file.MediaType, s.enc.EncodeAll(file.Body, nil)); err != nil {
				return err
			}
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
	where += ` AND source_id IN (SELECT id FROM sources WHERE kind NOT IN ('upload', 'text', 'pairs'))`
	err = s.Write(ctx, "try again", func(tx *sqlx.Tx) error {
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
// whether it changed. Until then it stays as it is. What the visit before had to say is forgotten.
func (s *Store) Revisit(ctx context.Context, source string) error {
	return s.Write(ctx, "revisit", func(tx *sqlx.Tx) error {
		if _, err := tx.ExecContext(ctx, `UPDATE sources SET notices = '[]' WHERE id = ?`, source); err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, `UPDATE documents SET state = 'waiting', reason = '', attempts = 0 WHERE source_id = ? AND state = 'failed' AND choice <> 'out'`, source); err != nil {
			return err
		}
		_, err := tx.ExecContext(ctx, `UPDATE documents SET revisit = 1, attempts = 0 WHERE source_id = ? AND state IN ('indexed', 'unchanged', 'left out') AND choice <> 'out'`, source)
		return err
	})
}

// stateSeen is a document's state as people see it: what was fetched and nobody has chosen yet is found.
const stateSeen = `CASE WHEN d.state = 'fetched' AND d.choice = 'open' THEN 'found' ELSE d.state END`

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
		where, args = append(where, stateSeen+` = ?`), append(args, f.State)
	}
	if f.Text != "" {
		like := "%" + strings.NewReplacer(`\`, `\\`, `%`, `\%`, `_`, `\_`).Replace(f.Text) + "%"
		where, args = append(where, `(d.address LIKE ? ESCAPE '\' OR d.title LIKE ? ESCAPE '\')`), append(args, like, like)
	}
	cond := strings.Join(where, " AND ")
	if err := s.Get(ctx, &total, "count documents", `SELECT count(*) FROM documents d WHERE `+cond, args...); err != nil {
		return nil, 0, err
	}
	docs = []Document{}
	err = s.List(ctx, &docs, "list documents", `SELECT `+documentColumns+` WHERE `+cond+` ORDER BY d.address, d.id LIMIT ? OFFSET ?`, append(args, f.Limit, f.Offset)...)
	return docs, total, err
}

// Document finds a document by id.
func (s *Store) Document(ctx context.Context, id string) (Document, error) {
	var out Document
	return out, s.Get(ctx, &out, "document "+id, `SELECT `+documentColumns+` WHERE d.id = ?`, id)
}

// DocumentAt finds a document of a source by its key.
func (s *Store) DocumentAt(ctx context.Context, source, key string) (Document, error) {
	var out Document
	return out, s.Get(ctx, &out, "document "+key, `SELECT `+documentColumns+` WHERE d.source_id = ? AND d.key = ?`, source, key)
}

// Stands reports whether a document of that address is in a corpus now.
func (s *Store) Stands(ctx context.Context, corpus, address string) (bool, error) {
	var n int
	err := s.Get(ctx, &n, "look for "+address, `SELECT count(*) FROM documents WHERE corpus_id = ? AND address = ? AND state IN ('fetched', 'indexed', 'unchanged')`, corpus, address)
	return n > 0, err
}

// Restamp records that a file has another stamp and the same text.
func (s *Store) Restamp(ctx context.Context, id, stamp, readBy string) error {
	return s.Write(ctx, "stamp a document", func(tx *sqlx.Tx) error {
		_, err := tx.ExecContext(ctx, `UPDATE documents SET etag = ?, read_by = ? WHERE id = ?`, stamp, readBy, id)
		return err
	})
}

// Indexable gives documents in one of the states that have a version, by id, after the given one.
func (s *Store) Indexable(ctx context.Context, corpus string, states []string, after string, limit int) ([]Document, error) {
	q, args, err := sqlx.In(`SELECT `+documentColumns+` WHERE d.corpus_id = ? AND d.state IN (?) AND d.version <> '' AND d.choice = 'in' AND d.id > ? ORDER BY d.id LIMIT ?`, corpus, states, after, limit)
	if err != nil {
		return nil, err
	}
	var out []Document
	return out, s.List(ctx, &out, "list documents to index", q, args...)
}

// CountStates counts a corpus's documents by state; with a source, only that one's.
func (s *Store) CountStates(ctx context.Context, corpus, source string) (map[string]int, error) {
	var rows []struct {
		State string
		N     int
	}
	if err := s.List(ctx, &rows, "count documents", `SELECT `+stateSeen+` AS state, count(*) AS n FROM documents d WHERE corpus_id = ? AND (? = '' OR source_id = ?) GROUP BY 1`, corpus, source, source); err != nil {
		return nil, err
	}
	out := map[string]int{}
	for _, r := range rows {
		out[r.State] = r.N
	}
	return out, nil
}

// HasVersion reports whether a document has, or had, a version. What is no version of it is ErrMissing.
func (s *Store) HasVersion(ctx context.Context, document, hash string) error {
	var n int
	if err := s.Get(ctx, &n, "the version of a document", `SELECT count(*) FROM document_versions WHERE document_id = ? AND version = ?`, document, hash); err != nil {
		return err
	}
	if n == 0 {
		return fmt.Errorf("version %s of document %s: %w", hash, document, ErrMissing)
	}
	return nil
}

// Version reads a version by its hash. Callers come to it through a document, or by what the index names.
func (s *Store) Version(ctx context.Context, hash string) (*doc.Document, error) {
	var body []byte
	if err := s.Get(ctx, &body, "document version "+hash, `SELECT body FROM versions WHERE hash = ?`, hash); err != nil {
		return nil, err
	}
	var d doc.Document
	if err := s.Unpack(body, &d); err != nil {
		return nil, fmt.Errorf("document version %s: %w", hash, err)
	}
	return &d, nil
}
