package audit_test

import (
	"bufio"
	"bytes"
	"crypto/sha256"
	"encoding/csv"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"path/filepath"
	"testing"
	"time"

	"github.com/gowebpki/jcs"
	"github.com/jmoiron/sqlx"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/internal/keeping/audit"
	"jolvex/internal/store"
	"jolvex/internal/store/register"
)

func trail(t *testing.T, entries int) (*audit.Room, *sqlx.DB) {
	t.Helper()
	path := filepath.Join(t.TempDir(), "jolvex.db")
	s, err := store.Open(t.Context(), path, time.Now)
	require.NoError(t, err)
	t.Cleanup(func() { assert.NoError(t, s.Close()) })
	rm := audit.New(register.New(s))
	for n := range entries {
		require.NoError(t, rm.Record(t.Context(), audit.Deed{Who: "Olive", Via: "session", Operation: "putText", Target: fmt.Sprint(n), Outcome: audit.Done, Changes: []audit.Altered{{Path: "/title", After: "=1+1 é"}}}))
	}
	db, err := sqlx.Open("sqlite", path)
	require.NoError(t, err)
	t.Cleanup(func() { assert.NoError(t, db.Close()) })
	return rm, db
}

// TestTamperingShows changes, removes and puts in entries behind the program's back.
func TestTamperingShows(t *testing.T) {
	for name, c := range map[string]struct {
		sql     string
		entries int
		broken  int64
	}{
		"nothing":            {"SELECT 1", 60, 0},
		"another person":     {"UPDATE audit SET who = 'Ian' WHERE seq = 50", 60, 50},
		"another outcome":    {"UPDATE audit SET outcome = 'refused' WHERE seq = 1", 60, 1},
		"another change":     {"UPDATE audit SET changes = '[]' WHERE seq = 1002", 1005, 1002},
		"one taken out":      {"DELETE FROM audit WHERE seq = 20", 60, 21},
		"the first gone":     {"DELETE FROM audit WHERE seq = 1", 60, 2},
		"closed up again":    {"DELETE FROM audit WHERE seq = 20; UPDATE audit SET seq = seq - 1 WHERE seq > 20", 60, 20},
		"a hash of its own":  {"UPDATE audit SET who = 'Ian', hash = 'f00' WHERE seq = 30", 60, 30},
		"two changed places": {"UPDATE audit SET seq = -1 WHERE seq = 40; UPDATE audit SET seq = 40 WHERE seq = 41; UPDATE audit SET seq = 41 WHERE seq = -1", 60, 40},
	} {
		t.Run(name, func(t *testing.T) {
			rm, db := trail(t, c.entries)
			_, err := db.ExecContext(t.Context(), c.sql)
			require.NoError(t, err)
			got, err := rm.Check(t.Context())
			require.NoError(t, err)
			assert.Equal(t, c.broken, got.Broken, got.Problem)
			assert.Equal(t, c.broken != 0, got.Problem != "")
		})
	}
}

// TestTheExportCanBeCheckedElsewhere goes along the chain by what the export says alone: SHA-256 (FIPS 180-4) over canonical JSON (RFC 8785).
func TestTheExportCanBeCheckedElsewhere(t *testing.T) {
	rm, _ := trail(t, 1005)
	var b bytes.Buffer
	require.NoError(t, rm.Export(t.Context(), &b, "jsonl", register.TrailFilter{}))
	var lines []map[string]any
	for sc := bufio.NewScanner(&b); sc.Scan(); {
		var e map[string]any
		require.NoError(t, json.Unmarshal(sc.Bytes(), &e))
		lines = append(lines, e)
	}
	require.Len(t, lines, 1005)
	for n, e := range lines {
		hash := e["hash"]
		e["hash"] = ""
		raw, err := json.Marshal(e)
		require.NoError(t, err)
		canonical, err := jcs.Transform(raw)
		require.NoError(t, err)
		sum := sha256.Sum256(canonical)
		require.Equal(t, hash, hex.EncodeToString(sum[:]))
		if n > 0 {
			require.Equal(t, hash, lines[n-1]["prev"], "the newest come first")
		}
	}
	b.Reset()
	require.NoError(t, rm.Export(t.Context(), &b, "csv", register.TrailFilter{}))
	rows, err := csv.NewReader(&b).ReadAll()
	require.NoError(t, err)
	assert.Len(t, rows, 1006)
}

func TestDifferences(t *testing.T) {
	for name, c := range map[string]struct {
		before, after string
		want          []audit.Altered
	}{
		"nothing":        {`{"a":1}`, `{"a":1}`, nil},
		"a number":       {`{"a":1,"b":2}`, `{"a":3,"b":2}`, []audit.Altered{{Path: "/a", Before: "1", After: "3"}}},
		"something new":  {``, `{"a":{"b":"x"}}`, []audit.Altered{{Path: "/a/b", After: "x"}}},
		"taken away":     {`{"a":["x"]}`, `{"a":[]}`, []audit.Altered{{Path: "/a/0", Before: "x"}}},
		"by id":          {`[{"id":"1","v":1},{"id":"2","v":2}]`, `[{"id":"2","v":2}]`, []audit.Altered{{Path: "/1/id", Before: "1"}, {Path: "/1/v", Before: "1"}}},
		"a pointer":      {`{"a/b~c":1}`, `{"a/b~c":2}`, []audit.Altered{{Path: "/a~1b~0c", Before: "1", After: "2"}}},
		"a secret":       {`{"key":"old one"}`, `{"key":"new one","name":"n"}`, []audit.Altered{{Path: "/name", After: "n"}}},
		"a first secret": {`{}`, `{"password":"p"}`, []audit.Altered{{Path: "/password", After: "(not shown)"}}},
	} {
		t.Run(name, func(t *testing.T) {
			got := audit.Differences([]byte(c.before), []byte(c.after))
			if name == "a secret" {
				require.Len(t, got, 2)
				assert.Equal(t, audit.Altered{Path: "/key", Before: "(not shown)", After: "(not shown)"}, got[0])
				got = got[1:]
			}
			assert.Equal(t, c.want, got)
		})
	}
}
