package store

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"

	"github.com/google/uuid"
	"github.com/jmoiron/sqlx"

	"jolvex/core/answer"
	"jolvex/core/diagnose"
	"jolvex/core/method"
	"jolvex/core/prove"
	"jolvex/core/questions"
)

// QuestionSet is a named list of expected questions.
type QuestionSet struct {
	ID        string `db:"id"`
	Corpus    string `db:"corpus_id"`
	Name      string `db:"name"`
	Version   string `db:"version"`
	CreatedAt string `db:"created_at"`
	Questions int    `db:"n"`
}

// mostVersions is how many versions of a set are kept besides those that runs were made with.
const mostVersions = 50

// PutQuestions makes or replaces a question set, and keeps what it was; why says what the change is for.
func (s *Store) PutQuestions(ctx context.Context, corpus, name string, qs []questions.Question, why string) (QuestionSet, error) {
	raw, err := json.Marshal(qs)
	if err != nil {
		return QuestionSet{}, err
	}
	sum := sha256.Sum256(raw)
	set := QuestionSet{ID: uuid.NewString(), Corpus: corpus, Name: name, Version: hex.EncodeToString(sum[:]), CreatedAt: s.Stamp()}
	err = s.Write(ctx, "store question set "+name, func(tx *sqlx.Tx) error {
		if _, err := tx.NamedExecContext(ctx, `INSERT INTO question_sets (id, corpus_id, name, version, created_at) VALUES (:id, :corpus_id, :name, :version, :created_at)
			ON CONFLICT (corpus_id, name) DO UPDATE SET version = excluded.version`, set); err != nil {
			return err
		}
		if err := tx.GetContext(ctx, &set.ID, `SELECT id FROM question_sets WHERE corpus_id = ? AND name = ?`, corpus, name); err != nil {
			return err
		}
		body, err := s.Pack(qs)
		if err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, `INSERT OR REPLACE INTO set_versions (set_id, version, at, why, questions) VALUES (?, ?, ?, ?, ?)`, set.ID, set.Version, set.CreatedAt, why, body); err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, `DELETE FROM set_versions WHERE set_id = ? AND rowid NOT IN (SELECT rowid FROM set_versions WHERE set_id = ? ORDER BY at DESC, rowid DESC LIMIT ?)
			AND version NOT IN (SELECT set_version FROM runs WHERE set_id = ?)`, set.ID, set.ID, mostVersions, set.ID); err != nil {
			return err
		}
		return replaceQuestions(ctx, tx, set.ID, qs)
	})
	set.Questions = len(qs)
	return set, err
}

// replaceQuestions makes a set's rows those of a list: what stands as it stood is not written again.
func replaceQuestions(ctx context.Context, tx *sqlx.Tx, set string, qs []questions.Question) error {
	type row struct {
		Position int    `db:"position"`
		ID       string `db:"id"`
		Body     string `db:"body"`
	}
	var have []row
	if err := tx.SelectContext(ctx, &have, `SELECT position, id, body FROM questions WHERE set_id = ? ORDER BY position`, set); err != nil {
		return err
	}
	same := 0 // rows from the beginning on that need not be moved
	for same < len(have) && same < len(qs) && have[same].ID == qs[same].ID && have[same].Position == same {
		same++
	}
	if same < len(have) {
		if _, err := tx.ExecContext(ctx, `DELETE FROM questions WHERE set_id = ? AND position >= ?`, set, same); err != nil {
			return err
		}
	}
	change, err := tx.PreparexContext(ctx, `UPDATE questions SET body = ? WHERE set_id = ? AND position = ?`)
	if err != nil {
		return err
	}
	defer change.Close()
	insert, err := tx.PreparexContext(ctx, `INSERT INTO questions (set_id, position, id, body) VALUES (?, ?, ?, ?)`)
	if err != nil {
		return err
	}
	defer insert.Close()
	for i, q := range qs {
		body, err := json.Marshal(q)
		if err != nil {
			return err
		}
		switch {
		case i >= same:
			_, err = insert.ExecContext(ctx, set, i, q.ID, string(body))
		case have[i].Body != string(body):
			_, err = change.ExecContext(ctx, string(body), set, i)
		}
		if err != nil {
			return fmt.Errorf("question %s: %w", q.ID, err)
		}
	}
	return nil
}

// SetVersion is what a question set was at some time.
type SetVersion struct {
	Version string `db:"version"`
	At      string `db:"at"`
	Why     string `db:"why"`
	Body    []byte `db:"questions"`
}

// SetVersions lists the versions of a set, the newest first.
func (s *Store) SetVersions(ctx context.Context, set string) ([]SetVersion, error) {
	out := []SetVersion{}
	return out, s.List(ctx, &out, "list the versions of a question set", `SELECT version, at, why, questions FROM set_versions WHERE set_id = ? ORDER BY at DESC, rowid DESC`, set)
}

// QuestionsOf unpacks the questions of a version.
func (s *Store) QuestionsOf(v SetVersion) ([]questions.Question, error) {
	var out []questions.Question
	return out, s.Unpack(v.Body, &out)
}

// DeleteQuestionSet removes a set with its runs.
func (s *Store) DeleteQuestionSet(ctx context.Context, id string) error {
	return s.Write(ctx, "delete a question set", func(tx *sqlx.Tx) error {
		_, err := tx.ExecContext(ctx, `DELETE FROM question_sets WHERE id = ?`, id)
		return err
	})
}

const setColumns = `q.id, q.corpus_id, q.name, q.version, q.created_at, (SELECT count(*) FROM questions WHERE set_id = q.id) AS n FROM question_sets q`

// QuestionSets lists a corpus's sets by name.
func (s *Store) QuestionSets(ctx context.Context, corpus string) ([]QuestionSet, error) {
	out := []QuestionSet{}
	return out, s.List(ctx, &out, "list question sets", `SELECT `+setColumns+` WHERE q.corpus_id = ? ORDER BY q.name`, corpus)
}

// QuestionSet finds a set of a corpus by id or name.
func (s *Store) QuestionSet(ctx context.Context, corpus, idOrName string) (QuestionSet, error) {
	var out QuestionSet
	return out, s.Get(ctx, &out, fmt.Sprintf("question set %q", idOrName), `SELECT `+setColumns+` WHERE q.corpus_id = ? AND (q.id = ? OR q.name = ?)`, corpus, idOrName, idOrName)
}

// Questions reads a set's questions in order.
func (s *Store) Questions(ctx context.Context, set string) ([]questions.Question, error) {
	return s.QuestionPage(ctx, set, 0, -1)
}

// QuestionPage reads so many of a set's questions from a place on; all that follow when the limit is below 0.
func (s *Store) QuestionPage(ctx context.Context, set string, from, limit int) ([]questions.Question, error) {
	var rows []string
	if err := s.List(ctx, &rows, "read questions", `SELECT body FROM questions WHERE set_id = ? ORDER BY position LIMIT ? OFFSET ?`, set, limit, from); err != nil {
		return nil, err
	}
	out := make([]questions.Question, len(rows))
	for i, r := range rows {
		if err := json.Unmarshal([]byte(r), &out[i]); err != nil {
			return nil, fmt.Errorf("read a question: %w", err)
		}
	}
	return out, nil
}

// Run is one pass of a question set over one method.
type Run struct {
	ID         string
	Corpus     string
	Set        string
	SetVersion string
	Questions  []questions.Question // as they were; lists of runs leave them out
	Count      int                  // of questions
	Method     method.Method
	Summary    *prove.Summary // nil until it has ended
	CreatedAt  string
	EndedAt    string
	Note       string // what was tried; "" for the draft
	Repeats    int    // how often each question is asked
	Tried      Tried
	Cap        Cap
	Pins       answer.Pins // without the time
}

// Cap is the most that a run may spend on a model; 0 for no cap.
type Cap struct {
	Tokens int     `db:"cap_tokens" json:"tokens,omitempty" minimum:"0" doc:"Read and written, together"`
	Price  float64 `db:"cap_price" json:"price,omitempty" minimum:"0" doc:"In the connection's currency"`
}

// Order is how a set is run.
type Order struct {
	Note    string // what is tried, when it is not the draft
	Repeats int    // how often each question is asked
	Tried   Tried
	Cap     Cap
}

// Tried is what a run draws on beside the corpus, and what it does without.
type Tried struct {
	Brought []Brought `json:"brought,omitempty"`
	LeftOut []string  `json:"leftOut,omitempty"` // documents, by id
}

// Brought is a text that a run draws on as if it were a document of the corpus.
type Brought struct {
	Document  string `json:"document"`
	Version   string `json:"version"`
	Source    string `json:"source,omitempty"`
	Kind      string `json:"kind"` // of the source that it would come from
	Address   string `json:"address"`
	Marks     string `json:"marks,omitempty"`
	MediaType string `json:"mediaType,omitempty"`
}

type runRow struct {
	ID         string `db:"id"`
	Corpus     string `db:"corpus_id"`
	Set        string `db:"set_id"`
	SetVersion string `db:"set_version"`
	Questions  string `db:"questions"`
	Method     string `db:"method"`
	Pins       string `db:"pins"`
	Summary    string `db:"summary"`
	CreatedAt  string `db:"created_at"`
	EndedAt    string `db:"ended_at"`
	Note       string `db:"note"`
	Repeats    int    `db:"repeats"`
	Tried      string `db:"tried"`
	Count      int    `db:"count"`
	Cap
}

func (r runRow) run() (Run, error) {
	out := Run{ID: r.ID, Corpus: r.Corpus, Set: r.Set, SetVersion: r.SetVersion, CreatedAt: r.CreatedAt, EndedAt: r.EndedAt, Note: r.Note, Repeats: r.Repeats, Count: r.Count, Cap: r.Cap, Method: method.Default()}
	if err := json.Unmarshal([]byte(r.Method), &out.Method); err != nil {
		return out, fmt.Errorf("read the method of run %s: %w", r.ID, err)
	}
	if r.Tried != "" {
		if err := json.Unmarshal([]byte(r.Tried), &out.Tried); err != nil {
			return out, fmt.Errorf("read what run %s tries: %w", r.ID, err)
		}
	}
	if r.Pins != "" {
		if err := json.Unmarshal([]byte(r.Pins), &out.Pins); err != nil {
			return out, fmt.Errorf("read what run %s searched: %w", r.ID, err)
		}
	}
	if r.Summary == "" {
		return out, nil
	}
	out.Summary = &prove.Summary{}
	return out, json.Unmarshal([]byte(r.Summary), out.Summary)
}

// CreateRun freezes questions and method for a run.
func (s *Store) CreateRun(ctx context.Context, set QuestionSet, qs []questions.Question, m method.Method, o Order) (Run, error) {
	rawM, err := json.Marshal(m)
	if err != nil {
		return Run{}, fmt.Errorf("write the method of a run: %w", err)
	}
	rawT, err := json.Marshal(o.Tried)
	if err != nil {
		return Run{}, fmt.Errorf("write what a run tries: %w", err)
	}
	r := runRow{ID: uuid.NewString(), Corpus: set.Corpus, Set: set.ID, SetVersion: set.Version, Method: string(rawM), CreatedAt: s.Stamp(), Note: o.Note, Repeats: max(1, o.Repeats), Tried: string(rawT), Count: len(qs), Cap: o.Cap}
	err = s.Write(ctx, "create a run", func(tx *sqlx.Tx) error {
		var known int
		if err := tx.GetContext(ctx, &known, `SELECT count(*) FROM set_versions WHERE set_id = ? AND version = ?`, set.ID, set.Version); err != nil {
			return err
		}
		if known == 0 { // a set of before its versions were kept
			raw, err := json.Marshal(qs)
			if err != nil {
				return fmt.Errorf("write the questions of a run: %w", err)
			}
			r.Questions = string(raw)
		}
		_, err := tx.NamedExecContext(ctx, `INSERT INTO runs (id, corpus_id, set_id, set_version, questions, method, created_at, note, repeats, tried, count, cap_tokens, cap_price) VALUES (:id, :corpus_id, :set_id, :set_version, :questions, :method, :created_at, :note, :repeats, :tried, :count, :cap_tokens, :cap_price)`, r)
		return err
	})
	if err != nil {
		return Run{}, err
	}
	out, err := r.run()
	out.Questions = qs
	return out, err
}

// runColumns are those of a run without its questions.
const runColumns = `id, corpus_id, set_id, set_version, '' AS questions, method, pins, summary, created_at, ended_at, note, repeats, tried, count, cap_tokens, cap_price`

// Run finds a run by id, with its questions as they were.
func (s *Store) Run(ctx context.Context, id string) (Run, error) {
	var r runRow
	if err := s.Get(ctx, &r, "run "+id, `SELECT * FROM runs WHERE id = ?`, id); err != nil {
		return Run{}, err
	}
	out, err := r.run()
	if err != nil {
		return out, err
	}
	if r.Questions != "" {
		err = json.Unmarshal([]byte(r.Questions), &out.Questions)
	} else {
		var body []byte
		if err = s.Get(ctx, &body, "the questions of run "+id, `SELECT questions FROM set_versions WHERE set_id = ? AND version = ? LIMIT 1`, r.Set, r.SetVersion); err == nil {
			err = s.Unpack(body, &out.Questions)
		}
	}
	if err != nil {
		return out, fmt.Errorf("read the questions of run %s: %w", id, err)
	}
	return out, nil
}

// Runs lists a corpus's runs without their questions, newest first; with a set, only that one's.
func (s *Store) Runs(ctx context.Context, corpus, set string, limit int) ([]Run, error) {
	var rows []runRow
	if err := s.List(ctx, &rows, "list runs", `SELECT `+runColumns+` FROM runs WHERE corpus_id = ? AND (? = '' OR set_id = ?) ORDER BY created_at DESC, rowid DESC LIMIT ?`, corpus, set, set, limit); err != nil {
		return nil, err
	}
	out := make([]Run, 0, len(rows))
	for _, r := range rows {
		x, err := r.run()
		if err != nil {
			return nil, err
		}
		out = append(out, x)
	}
	return out, nil
}

// EndRun stores the summary of a run.
func (s *Store) EndRun(ctx context.Context, id string, sum prove.Summary) error {
	raw, err := json.Marshal(sum)
	if err != nil {
		return err
	}
	return s.Write(ctx, "end a run", func(tx *sqlx.Tx) error {
		_, err := tx.ExecContext(ctx, `UPDATE runs SET summary = ?, ended_at = ? WHERE id = ?`, string(raw), s.Stamp(), id)
		return err
	})
}

// Result is one question of a run.
type Result struct {
	Position int
	Question string
	Verdict  prove.Verdict
	Trail    *answer.Trail // nil when it was not asked for, or the question could not be judged
	Millis   float64
	Failed   string
	Outage   bool                // it failed because a model did not answer; not kept
	Cause    *diagnose.Diagnosis // nil until a failure was looked into
}

type resultRow struct {
	Run      string  `db:"run_id"`
	Position int     `db:"position"`
	Question string  `db:"question_id"`
	Verdict  string  `db:"verdict"`
	Trail    []byte  `db:"trail"`
	Millis   float64 `db:"millis"`
	Failed   string  `db:"failed"`
	Cause    string  `db:"cause"`
	Format   int     `db:"format"` // of the trail
}

// AddResults stores results of a run; what is there already is replaced.
func (s *Store) AddResults(ctx context.Context, run string, rs []Result) error {
	return s.Write(ctx, "store results", func(tx *sqlx.Tx) error {
		var of struct {
			Corpus string `db:"corpus_id"`
			Note   string `db:"note"`
		}
		if err := tx.GetContext(ctx, &of, `SELECT corpus_id, note FROM runs WHERE id = ?`, run); err != nil {
			return err
		}
		for _, r := range rs {
			v, err := json.Marshal(r.Verdict)
			if err != nil {
				return err
			}
			row := resultRow{run, r.Position, r.Question, string(v), nil, r.Millis, r.Failed, "", answer.Format}
			if r.Trail != nil {
				if row.Trail, err = s.Pack(r.Trail); err != nil {
					return err
				}
				if of.Note == "" { // what is only tried leaves no trace in what is used
					if err := countKept(ctx, tx, of.Corpus, r.Trail); err != nil {
						return err
					}
				}
			}
			if _, err := tx.NamedExecContext(ctx, `INSERT OR REPLACE INTO results (run_id, position, question_id, verdict, trail, millis, failed, format) VALUES (:run_id, :position, :question_id, :verdict, :trail, :millis, :failed, :format)`, row); err != nil {
				return err
			}
		}
		return nil
	})
}

// Results lists the results of a run in the order of its questions.
func (s *Store) Results(ctx context.Context, run string, trails bool) ([]Result, error) {
	var rows []resultRow
	trail := `NULL AS trail`
	if trails {
		trail = `trail`
	}
	if err := s.List(ctx, &rows, "read results", `SELECT run_id, position, question_id, verdict, `+trail+`, millis, failed, cause, format FROM results WHERE run_id = ? ORDER BY position`, run); err != nil {
		return nil, err
	}
	out := make([]Result, len(rows))
	for i, r := range rows {
		out[i] = Result{Position: r.Position, Question: r.Question, Millis: r.Millis, Failed: r.Failed}
		if err := json.Unmarshal([]byte(r.Verdict), &out[i].Verdict); err != nil {
			return nil, fmt.Errorf("read a verdict: %w", err)
		}
		if r.Cause != "" {
			out[i].Cause = &diagnose.Diagnosis{}
			if err := json.Unmarshal([]byte(r.Cause), out[i].Cause); err != nil {
				return nil, fmt.Errorf("read a cause: %w", err)
			}
		}
		if r.Trail != nil {
			t, err := s.trail(r.Trail, r.Format)
			if err != nil {
				return nil, err
			}
			out[i].Trail = t
		}
	}
	return out, nil
}

// PutCause stores why a question of a run failed.
func (s *Store) PutCause(ctx context.Context, run, question string, d diagnose.Diagnosis) error {
	raw, err := json.Marshal(d)
	if err != nil {
		return err
	}
	return s.Write(ctx, "store a cause", func(tx *sqlx.Tx) error {
		_, err := tx.ExecContext(ctx, `UPDATE results SET cause = ? WHERE run_id = ? AND question_id = ?`, string(raw), run, question)
		return err
	})
}

// PinRun records with what a run is made, and forgets results that were made with something else.
func (s *Store) PinRun(ctx context.Context, id string, pins answer.Pins) error {
	pins.AsOf = ""
	raw, err := json.Marshal(pins)
	if err != nil {
		return err
	}
	return s.Write(ctx, "pin a run", func(tx *sqlx.Tx) error {
		if _, err := tx.ExecContext(ctx, `DELETE FROM results WHERE run_id = ? AND EXISTS (SELECT 1 FROM runs WHERE id = ? AND pins NOT IN ('{}', ?))`, id, id, string(raw)); err != nil {
			return err
		}
		_, err := tx.ExecContext(ctx, `UPDATE runs SET pins = ? WHERE id = ?`, string(raw), id)
		return err
	})
}

// AddReply stores a reply with its trail under an id, and does what else belongs to it in the same transaction.
func (s *Store) AddReply(ctx context.Context, corpus, id string, t *answer.Trail, also func(tx *sqlx.Tx) error) error {
	body, err := s.Pack(t)
	if err != nil {
		return err
	}
	return s.Write(ctx, "store a reply", func(tx *sqlx.Tx) error {
		_, err := tx.ExecContext(ctx, `INSERT OR REPLACE INTO replies (id, corpus_id, surface, outcome, question, trail, at, format) VALUES (?, ?, ?, ?, ?, ?, ?, ?)`, id, corpus, t.Pins.Surface, string(t.Outcome), t.Question, body, s.Stamp(), answer.Format)
		if err != nil {
			return err
		}
		if err := countKept(ctx, tx, corpus, t); err != nil {
			return err
		}
		return also(tx)
	})
}

// Asked lists what was asked of a corpus lately, the newest first, each question once, with the trail of its last reply. Questions
// of runs are not kept as replies, and are not among them.
func (s *Store) Asked(ctx context.Context, corpus string, limit int) ([]*answer.Trail, error) {
	var rows []trailRow
	if err := s.List(ctx, &rows, "list what was asked", `SELECT trail, format FROM replies WHERE rowid IN (SELECT max(rowid) FROM replies WHERE corpus_id = ? AND outcome <> 'courtesy' GROUP BY lower(question)) ORDER BY rowid DESC LIMIT ?`, corpus, limit); err != nil {
		return nil, err
	}
	out := make([]*answer.Trail, len(rows))
	for i, r := range rows {
		t, err := s.trail(r.Trail, r.Format)
		if err != nil {
			return nil, err
		}
		out[i] = t
	}
	return out, nil
}

// Reply reads the trail of a stored reply of a corpus.
func (s *Store) Reply(ctx context.Context, corpus, id string) (*answer.Trail, error) {
	var r trailRow
	if err := s.Get(ctx, &r, "reply "+id, `SELECT trail, format FROM replies WHERE corpus_id = ? AND id = ?`, corpus, id); err != nil {
		return nil, err
	}
	return s.trail(r.Trail, r.Format)
}

// trailRow is a stored trail with the number of its format.
type trailRow struct {
	Trail  []byte `db:"trail"`
	Format int    `db:"format"`
}

// trail reads a stored trail of whatever format it was written in.
func (s *Store) trail(body []byte, format int) (*answer.Trail, error) {
	t := &answer.Trail{}
	if err := s.Unpack(body, t); err != nil {
		return nil, fmt.Errorf("read a trail: %w", err)
	}
	if err := answer.Upgrade(t, format); err != nil {
		return nil, fmt.Errorf("read a trail: %w", err)
	}
	return t, nil
}
