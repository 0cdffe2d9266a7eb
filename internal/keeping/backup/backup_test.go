package backup

import (
	"archive/tar"
	"bytes"
	"context"
	"database/sql"
	"fmt"
	"log/slog"
	"math/rand/v2"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/klauspost/compress/zstd"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var noon = time.Date(2026, 11, 30, 12, 0, 0, 0, time.UTC)

// folder is a small data folder whose database is written to until the test ends.
func folder(t *testing.T) (dir string, rows func(path string) int) {
	t.Helper()
	dir = t.TempDir()
	require.NoError(t, os.Mkdir(filepath.Join(dir, "index"), 0o700))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "secret.key"), []byte("0123456789abcdef0123456789abcdef"), 0o600))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "index", "0123456789abcdef"), bytes.Repeat([]byte("segment"), 1000), 0o600))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "index", "new-123"), []byte("half written"), 0o600))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "lock"), nil, 0o600))
	db, err := sql.Open("sqlite", "file:"+filepath.Join(dir, database)+"?_pragma=journal_mode(WAL)&_pragma=busy_timeout(5000)")
	require.NoError(t, err)
	_, err = db.ExecContext(t.Context(), `CREATE TABLE pairs (a INTEGER PRIMARY KEY, b INTEGER NOT NULL)`)
	require.NoError(t, err)
	stop, stopped := make(chan struct{}), make(chan struct{})
	go func() {
		defer close(stopped)
		for n := 0; ; n += 2 {
			select {
			case <-stop:
				return
			default:
			}
			tx, err := db.Begin()
			if err != nil {
				return
			}
			_, _ = tx.Exec(`INSERT INTO pairs VALUES (?, 1), (?, 1)`, n, n+1) // two at a time, or none
			_ = tx.Commit()
		}
	}()
	t.Cleanup(func() {
		close(stop)
		<-stopped
		assert.NoError(t, db.Close())
	})
	for n := 0; n < 20; {
		require.NoError(t, db.QueryRowContext(t.Context(), `SELECT count(*) FROM pairs`).Scan(&n))
	}
	return dir, func(path string) (n int) {
		r, err := sql.Open("sqlite", "file:"+filepath.Join(path, database)+"?mode=ro")
		require.NoError(t, err)
		defer r.Close()
		require.NoError(t, r.QueryRowContext(t.Context(), `SELECT count(*) FROM pairs`).Scan(&n))
		return n
	}
}

// TestABackupIsRestored copies a folder whose database is written to, and restores it.
func TestABackupIsRestored(t *testing.T) {
	dir, rows := folder(t)
	into := filepath.Join(t.TempDir(), "backups")
	made, err := Make(t.Context(), dir, into, noon)
	require.NoError(t, err)
	assert.Equal(t, filepath.Join(into, "jolvex-20261130T120000Z.tar.zst"), made.Path)
	assert.Equal(t, 3, made.Files, "what is half written, and the lock, are not in it")
	info, err := os.Stat(made.Path)
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o600), info.Mode().Perm())
	left, err := os.ReadDir(into)
	require.NoError(t, err)
	assert.Len(t, left, 1, "nothing else is left there")

	to := filepath.Join(t.TempDir(), "new", "data")
	c, err := Restore(t.Context(), made.Path, to)
	require.NoError(t, err)
	assert.Equal(t, "2026-11-30T12:00:00Z", c.At)
	n := rows(to)
	assert.GreaterOrEqual(t, n, 20)
	assert.Zero(t, n%2, "a change is in it as a whole, or not at all")
	for _, name := range []string{"secret.key", "index/0123456789abcdef"} {
		want, err := os.ReadFile(filepath.Join(dir, name))
		require.NoError(t, err)
		got, err := os.ReadFile(filepath.Join(to, name))
		require.NoError(t, err)
		assert.Equal(t, want, got, name)
	}
	_, err = Restore(t.Context(), made.Path, to)
	require.ErrorContains(t, err, "not empty")
	_, err = Make(t.Context(), dir, into, noon)
	require.Error(t, err, "one of that moment is there")
	_, err = Make(t.Context(), t.TempDir(), into, noon)
	require.Error(t, err, "there is nothing to back up")
}

// TestDamageIsFound cuts a backup short, and turns bits in it over, at a hundred places drawn from a fixed seed.
func TestDamageIsFound(t *testing.T) {
	dir, _ := folder(t)
	made, err := Make(t.Context(), dir, t.TempDir(), noon)
	require.NoError(t, err)
	whole, err := os.ReadFile(made.Path)
	require.NoError(t, err)
	path := filepath.Join(t.TempDir(), "damaged")
	z, err := zstd.NewReader(nil)
	require.NoError(t, err)
	defer z.Close()
	inside, err := z.DecodeAll(whole, nil)
	require.NoError(t, err)
	same := 0
	found := func(raw []byte, what string) {
		if got, err := z.DecodeAll(raw, nil); err == nil && bytes.Equal(got, inside) { // a bit that says nothing: what is inside is as it was
			same++
			return
		}
		require.NoError(t, os.WriteFile(path, raw, 0o600))
		_, err := Check(t.Context(), path)
		require.ErrorIs(t, err, ErrDamaged, what)
		to := filepath.Join(t.TempDir(), "data")
		_, err = Restore(t.Context(), path, to)
		require.ErrorIs(t, err, ErrDamaged, what)
		assert.NoDirExists(t, to, what)
	}
	found(nil, "nothing")
	rnd := rand.New(rand.NewPCG(1, 2))
	for range 50 {
		at := rnd.IntN(len(whole) - 1)
		found(whole[:at], fmt.Sprintf("cut at %d", at))
		at = rnd.IntN(len(whole))
		raw := bytes.Clone(whole)
		raw[at] ^= 1 << rnd.IntN(8)
		found(raw, fmt.Sprintf("a bit at %d of %d", at, len(whole)))
	}
	assert.Less(t, same, 10, "few bits say nothing")
}

// TestABackupOfAnotherKind has names in it that lead elsewhere, twins, links, a newer format, and a database that is none.
func TestABackupOfAnotherKind(t *testing.T) {
	path := filepath.Join(t.TempDir(), "other")
	with := func(list string, hs ...*tar.Header) error {
		var b bytes.Buffer
		z, err := zstd.NewWriter(&b)
		require.NoError(t, err)
		w := tar.NewWriter(z)
		for _, h := range hs {
			require.NoError(t, w.WriteHeader(h))
			_, err := w.Write(make([]byte, h.Size))
			require.NoError(t, err)
		}
		if list != "" {
			require.NoError(t, w.WriteHeader(&tar.Header{Name: contents, Size: int64(len(list))}))
			_, err := w.Write([]byte(list))
			require.NoError(t, err)
		}
		require.NoError(t, w.Close())
		require.NoError(t, z.Close())
		require.NoError(t, os.WriteFile(path, b.Bytes(), 0o600))
		_, err = Restore(t.Context(), path, filepath.Join(t.TempDir(), "data"))
		return err
	}
	db := &tar.Header{Name: database, Size: 4}
	for what, h := range map[string]*tar.Header{
		"above": {Name: "../evil", Size: 1}, "absolute": {Name: "/tmp/evil", Size: 1}, "below the index": {Name: "index/../../evil", Size: 1}, "a link": {Name: "index/0123456789abcdef", Typeflag: tar.TypeSymlink, Linkname: "/etc/passwd"},
		"a folder": {Name: "index/", Typeflag: tar.TypeDir}, "a twin": db,
	} {
		require.ErrorIs(t, with(`{"format":1}`, db, h), ErrDamaged, what)
	}
	require.ErrorIs(t, with("", db), ErrDamaged)
	require.ErrorIs(t, with(`{"format":1,"files":[]}`, db), ErrDamaged)
	require.ErrorContains(t, with(`{"format":2,"files":[]}`, db), "newer version")
	const zeros = "df3f619804a92fdb4057192dc43dd748ea778adc52bc498ce80524c014b81119" // SHA-256 of four zero bytes
	require.Error(t, with(`{"format":1,"files":[{"name":"jolvex.db","size":4,"sha256":"`+zeros+`"}]}`, db), "no database")
}

// TestOldBackupsGo keeps the newest, and leaves alone what is none.
func TestOldBackupsGo(t *testing.T) {
	dir, _ := folder(t)
	into := t.TempDir()
	other := filepath.Join(into, "notes.txt")
	require.NoError(t, os.WriteFile(other, nil, 0o600))
	last, err := Last(into)
	require.NoError(t, err)
	assert.True(t, last.IsZero())
	for n := range 4 {
		_, err := Make(t.Context(), dir, into, noon.Add(time.Duration(n)*time.Hour))
		require.NoError(t, err)
	}
	gone, err := Keep(into, 2)
	require.NoError(t, err)
	assert.Len(t, gone, 2)
	all, err := List(into)
	require.NoError(t, err)
	assert.Equal(t, []string{filepath.Join(into, "jolvex-20261130T150000Z.tar.zst"), filepath.Join(into, "jolvex-20261130T140000Z.tar.zst")}, all)
	assert.FileExists(t, other)
	last, err = Last(into)
	require.NoError(t, err)
	assert.Equal(t, noon.Add(3*time.Hour), last)
	gone, err = Keep(into, 0)
	require.NoError(t, err)
	assert.Len(t, gone, 1, "one is always kept")
}

// TestAPlanIsKept makes the first backup at once, and none while the newest is young.
func TestAPlanIsKept(t *testing.T) {
	dir, _ := folder(t)
	p := Plan{Into: filepath.Join(t.TempDir(), "b"), Every: time.Hour, Keep: 2}
	require.NoError(t, p.Check())
	require.Error(t, Plan{Into: "b", Every: time.Second, Keep: 2}.Check())
	require.Error(t, Plan{Into: "b", Every: time.Hour}.Check())
	log := slog.New(slog.DiscardHandler)
	wait, err := p.due(t.Context(), dir, log)
	require.NoError(t, err)
	assert.Equal(t, time.Hour, wait)
	wait, err = p.due(t.Context(), dir, log)
	require.NoError(t, err)
	assert.Less(t, wait, time.Hour)
	all, err := List(p.Into)
	require.NoError(t, err)
	assert.Len(t, all, 1)
	_, err = p.due(t.Context(), filepath.Join(dir, "no-such"), log)
	require.NoError(t, err, "none is due")
	p.Into = filepath.Join(dir, "lock", "below-a-file")
	_, err = p.due(t.Context(), dir, log)
	require.Error(t, err)
	ctx, stop := context.WithCancel(t.Context())
	stop()
	Plan{}.Run(ctx, dir, log) // nothing to do
	p.Run(ctx, dir, log)      // ends with its context
}
