package store

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"strconv"

	"github.com/jmoiron/sqlx"

	"jolvex/core/check"
	"jolvex/core/doc"
)

// Finding is a content check's finding with the documents that it is about.
type Finding struct {
	ID           string `db:"id"`
	Document     string `db:"document_id"`
	Version      string `db:"version"`
	Kind         string `db:"kind"`
	Severity     int    `db:"severity"`
	Start        int    `db:"start"`
	End          int    `db:"end"`
	Passage      string `db:"passage"`
	Detail       string `db:"detail"`
	OtherID      string `db:"other_id"`
	OtherStart   int    `db:"other_start"`
	OtherEnd     int    `db:"other_end"`
	OtherPassage string `db:"other_passage"`
	Dismissed    bool   `db:"dismissed"`
	FoundAt      string `db:"found_at"`
	Address      string `db:"address"`
	Title        string `db:"title"`
	OtherAddress string `db:"other_address"`
	OtherTitle   string `db:"other_title"`
}

// findingID is the same for the same words about the same documents, so that what was dismissed stays so.
func findingID(f check.Finding) string {
	h := sha256.New()
	for _, s := range []string{string(f.Kind), f.At.Document, f.At.Text, f.Detail} {
		h.Write([]byte(strconv.Itoa(len(s)) + ":" + s))
	}
	if f.Other != nil {
		h.Write([]byte(f.Other.Document + ":" + f.Other.Text))
	}
	return hex.EncodeToString(h.Sum(nil)[:16])
}

// ReplaceFindings puts the findings of a check in the place of those before; what was dismissed and is found again stays
// dismissed. versions gives the version of each document that was checked.
func (s *Store) ReplaceFindings(ctx context.Context, corpus string, fs []check.Finding, versions map[string]string) error {
	return s.Write(ctx, "store findings", func(tx *sqlx.Tx) error {
		var kept []struct {
			ID        string
			Dismissed bool
			FoundAt   string `db:"found_at"`
		}
		if err := tx.SelectContext(ctx, &kept, `SELECT id, dismissed, found_at FROM findings WHERE corpus_id = ?`, corpus); err != nil {
			return err
		}
		dismissed, found := map[string]bool{}, map[string]string{}
		for _, k := range kept {
			dismissed[k.ID], found[k.ID] = k.Dismissed, k.FoundAt
		}
		if _, err := tx.ExecContext(ctx, `DELETE FROM findings WHERE corpus_id = ?`, corpus); err != nil {
			return err
		}
		for _, f := range fs {
			id := findingID(f)
			other := check.Passage{}
			if f.Other != nil {
				other = *f.Other
			}
			at := found[id]
			if at == "" {
				at = s.Stamp()
			}
			// A document may have been removed while it was checked: then there is nothing to say of it.
			if _, err := tx.ExecContext(ctx, `INSERT INTO findings (id, corpus_id, document_id, version, kind, severity, start, end, passage, detail, other_id, other_start, other_end, other_passage, dismissed, found_at)
				SELECT ?, ?, d.id, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ? FROM documents d WHERE d.id = ? ON CONFLICT DO NOTHING`, id, corpus, versions[f.At.Document], f.Kind, int(f.Severity), f.At.Span.Start, f.At.Span.End,
				f.At.Text, f.Detail, other.Document, other.Span.Start, other.Span.End, other.Text, dismissed[id], at, f.At.Document); err != nil {
				return err
			}
		}
		return nil
	})
}

// Findings lists a corpus's findings, the gravest first; with a document, those about it alone.
func (s *Store) Findings(ctx context.Context, corpus, document string) ([]Finding, error) {
	out := []Finding{}
	return out, s.List(ctx, &out, "list findings", `SELECT f.id, f.document_id, f.version, f.kind, f.severity, f.start, f.end, f.passage, f.detail, f.other_id, f.other_start, f.other_end, f.other_passage, f.dismissed, f.found_at,
		d.address, d.title, coalesce(o.address, '') AS other_address, coalesce(o.title, '') AS other_title
		FROM findings f JOIN documents d ON d.id = f.document_id LEFT JOIN documents o ON o.id = f.other_id
		WHERE f.corpus_id = ? AND (? = '' OR f.document_id = ? OR f.other_id = ?) ORDER BY f.dismissed, f.severity DESC, f.kind, d.address, f.start, f.id`, corpus, document, document, document)
}

// DismissFinding marks findings as seen to be in order, or takes that back.
func (s *Store) DismissFinding(ctx context.Context, corpus string, ids []string, dismissed bool) error {
	if len(ids) == 0 {
		return nil
	}
	return s.Write(ctx, "dismiss findings", func(tx *sqlx.Tx) error {
		q, args, err := sqlx.In(`UPDATE findings SET dismissed = ? WHERE corpus_id = ? AND id IN (?)`, dismissed, corpus, ids)
		if err != nil {
			return err
		}
		_, err = tx.ExecContext(ctx, q, args...)
		return err
	})
}

// FindingCounts counts a corpus's findings that are not dismissed, by severity.
func (s *Store) FindingCounts(ctx context.Context, corpus string) (counts map[int]int, err error) {
	var rows []struct{ Severity, N int }
	if err := s.List(ctx, &rows, "count findings", `SELECT severity, count(*) AS n FROM findings WHERE corpus_id = ? AND dismissed = 0 GROUP BY severity`, corpus); err != nil {
		return nil, err
	}
	counts = map[int]int{}
	for _, r := range rows {
		counts[r.Severity] = r.N
	}
	return counts, nil
}

// Span is where a finding stands in its document.
func (f Finding) Span() doc.Span { return doc.Span{Start: f.Start, End: f.End} }
