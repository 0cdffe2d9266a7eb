// Package backup makes whole copies of a data folder while it is worked with, checks them, and restores one to a new folder.
//
// A backup is one file: a tar (POSIX.1-2001, pax) compressed with Zstandard (RFC 8878). It holds the database as it was at one moment (jolvex.db), the
// key that its secrets are sealed with (secret.key, when there is one), the files of the indexes (index/), and at its end contents.json: the format, when it was made, and size and
// SHA-256 of each file. Whoever has the file has everything: keep it as safely as the data folder.
package backup

import (
	"archive/tar"
	"context"
	"crypto/sha256"
	"database/sql"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"hash"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"time"

	"github.com/klauspost/compress/zstd"
	_ "modernc.org/sqlite" // the driver
)

// Format is the one that is written; older ones are read.
const Format = 1

// The files of a data folder that are more than derived.
const (
	database = "jolvex.db"
	secret   = "secret.key"
	contents = "contents.json"
)

// ErrDamaged says that a backup is not what was written.
var ErrDamaged = errors.New("the backup is damaged")

// File is one file of a backup.
type File struct {
	Name   string `json:"name"`
	Size   int64  `json:"size"`
	SHA256 string `json:"sha256"`
}

// Contents are what a backup holds.
type Contents struct {
	Format int    `json:"format"`
	At     string `json:"at"`
	Files  []File `json:"files"`
}

// Made is a backup that was made and read again.
type Made struct {
	Path  string        `json:"path"`
	Bytes int64         `json:"bytes"`
	Files int           `json:"files"`
	Took  time.Duration `json:"took"`
}

// named is what a file of a data folder may be called in a backup.
var named = regexp.MustCompile(`^(jolvex\.db|secret\.key|index/[0-9a-f]{16,128})$`)

// pattern is what a backup is called: by the moment, so that names sort by age.
var pattern = regexp.MustCompile(`^jolvex-\d{8}T\d{6}Z\.tar\.zst$`)

// Make makes a backup of a data folder, which may be worked with meanwhile, in a folder, and reads it again. What was begun and not finished is removed.
func Make(ctx context.Context, data, into string, now time.Time) (Made, error) {
	began := time.Now()
	if _, err := os.Stat(filepath.Join(data, database)); err != nil {
		return Made{}, fmt.Errorf("back up %s: %w", data, err)
	}
	if err := os.MkdirAll(into, 0o700); err != nil {
		return Made{}, fmt.Errorf("make the folder for backups: %w", err)
	}
	work, err := os.MkdirTemp(into, ".making-")
	if err != nil {
		return Made{}, fmt.Errorf("make a backup: %w", err)
	}
	defer os.RemoveAll(work) // what is left of it is of no use
	copied := filepath.Join(work, database)
	if err := snapshot(ctx, filepath.Join(data, database), copied); err != nil {
		return Made{}, err
	}
	if err := sound(ctx, copied); err != nil {
		return Made{}, err
	}
	written := filepath.Join(work, "backup")
	if err := write(ctx, written, copied, data, now); err != nil {
		return Made{}, err
	}
	path := filepath.Join(into, "jolvex-"+now.UTC().Format("20060102T150405Z")+".tar.zst")
	if _, err := os.Stat(path); err == nil {
		return Made{}, fmt.Errorf("there is a backup %s already", path)
	}
	c, err := Check(ctx, written)
	if err != nil {
		return Made{}, err
	}
	info, err := os.Stat(written)
	if err != nil {
		return Made{}, err
	}
	if err := os.Rename(written, path); err != nil {
		return Made{}, fmt.Errorf("put the backup in its place: %w", err)
	}
	return Made{path, info.Size(), len(c.Files), time.Since(began).Round(time.Millisecond)}, nil
}

// snapshot copies a database as it is at one moment, whoever writes to it meanwhile.
func snapshot(ctx context.Context, from, to string) error {
	db, err := sql.Open("sqlite", "file:"+from+"?_pragma=busy_timeout(10000)")
	if err != nil {
		return fmt.Errorf("open the database: %w", err)
	}
	_, err = db.ExecContext(ctx, `VACUUM INTO ?`, to)
	if err = errors.Join(err, db.Close()); err != nil {
		return fmt.Errorf("copy the database: %w", err)
	}
	return nil
}

// sound has SQLite check a database from end to end.
func sound(ctx context.Context, path string) error {
	db, err := sql.Open("sqlite", "file:"+path+"?mode=ro&immutable=1")
	if err != nil {
		return fmt.Errorf("open the copy of the database: %w", err)
	}
	var says string
	err = db.QueryRowContext(ctx, `PRAGMA integrity_check(1)`).Scan(&says)
	if err = errors.Join(err, db.Close()); err != nil {
		return fmt.Errorf("check the database: %w", err)
	}
	if says != "ok" {
		return fmt.Errorf("%w: the database: %s", ErrDamaged, says)
	}
	return nil
}

func write(ctx context.Context, path, copied, data string, now time.Time) error {
	f, err := os.OpenFile(path, os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o600)
	if err != nil {
		return fmt.Errorf("write the backup: %w", err)
	}
	err = pack(ctx, f, copied, data, now)
	if err = errors.Join(err, f.Sync(), f.Close()); err != nil {
		return fmt.Errorf("write the backup: %w", err)
	}
	return nil
}

func pack(ctx context.Context, w io.Writer, copied, data string, now time.Time) error {
	z, err := zstd.NewWriter(w)
	if err != nil {
		return err
	}
	t := tar.NewWriter(z)
	c := Contents{Format: Format, At: now.UTC().Format(time.RFC3339)}
	add := func(name, from string) error {
		if err := ctx.Err(); err != nil {
			return err
		}
		one, err := addFile(t, name, from, now)
		if err == nil {
			c.Files = append(c.Files, one)
		}
		return err
	}
	if err := add(database, copied); err != nil {
		return err
	}
	if err := add(secret, filepath.Join(data, secret)); err != nil && !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	list, err := os.ReadDir(filepath.Join(data, "index"))
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	for _, e := range list {
		name := "index/" + e.Name()
		if !named.MatchString(name) {
			continue
		}
		if err := add(name, filepath.Join(data, name)); err != nil && !errors.Is(err, fs.ErrNotExist) { // collected meanwhile
			return err
		}
	}
	raw, err := json.MarshalIndent(c, "", " ")
	if err != nil {
		return err
	}
	if err := t.WriteHeader(&tar.Header{Name: contents, Mode: 0o600, Size: int64(len(raw)), ModTime: now, Format: tar.FormatPAX}); err != nil {
		return err
	}
	_, err = t.Write(raw)
	return errors.Join(err, t.Close(), z.Close())
}

func addFile(t *tar.Writer, name, from string, now time.Time) (File, error) {
	f, err := os.Open(from)
	if err != nil {
		return File{}, err
	}
	defer f.Close()
	info, err := f.Stat()
	if err != nil {
		return File{}, err
	}
	if err := t.WriteHeader(&tar.Header{Name: name, Mode: 0o600, Size: info.Size(), ModTime: now, Format: tar.FormatPAX}); err != nil {
		return File{}, err
	}
	sum := sha256.New()
	if _, err := io.Copy(io.MultiWriter(t, sum), io.LimitReader(f, info.Size())); err != nil {
		return File{}, err
	}
	return File{name, info.Size(), hex.EncodeToString(sum.Sum(nil))}, nil
}

// Check reads a backup from end to end. ErrDamaged, wrapped, when something in it is not what was written.
func Check(ctx context.Context, path string) (Contents, error) {
	return unpack(ctx, path, func(string) (io.WriteCloser, error) { return nopCloser{io.Discard}, nil })
}

type nopCloser struct{ io.Writer }

func (nopCloser) Close() error { return nil }

// mostContents is the most bytes of the list of contents: some 500,000 files.
const mostContents = 64 << 20

// unpack reads a backup and hands every file to what open gives for its name.
func unpack(ctx context.Context, path string, open func(name string) (io.WriteCloser, error)) (Contents, error) {
	var c Contents
	f, err := os.Open(path)
	if err != nil {
		return c, fmt.Errorf("open the backup: %w", err)
	}
	defer f.Close()
	z, err := zstd.NewReader(f, zstd.WithDecoderMaxMemory(256<<20))
	if err != nil {
		return c, fmt.Errorf("%w: %w", ErrDamaged, err)
	}
	defer z.Close()
	t := tar.NewReader(z)
	got := map[string]File{}
	for {
		if err := ctx.Err(); err != nil {
			return c, err
		}
		h, err := t.Next()
		if errors.Is(err, io.EOF) {
			return c, fmt.Errorf("%w: its list of contents is missing", ErrDamaged)
		}
		if err != nil {
			return c, fmt.Errorf("%w: %w", ErrDamaged, err)
		}
		if h.Name == contents {
			break
		}
		if _, twice := got[h.Name]; twice || h.Typeflag != tar.TypeReg || !named.MatchString(h.Name) {
			return c, fmt.Errorf("%w: it holds %q", ErrDamaged, h.Name)
		}
		if got[h.Name], err = take(t, h.Name, open); err != nil {
			return c, err
		}
	}
	raw, err := io.ReadAll(io.LimitReader(t, mostContents))
	if err == nil {
		err = json.Unmarshal(raw, &c)
	}
	if err != nil {
		return c, fmt.Errorf("%w: its list of contents: %w", ErrDamaged, err)
	}
	if c.Format > Format {
		return c, fmt.Errorf("the backup has format %d, which a newer version of the program writes; this one reads up to %d", c.Format, Format)
	}
	if len(c.Files) != len(got) || got[database].Name == "" {
		return c, fmt.Errorf("%w: it lists %d files and holds %d", ErrDamaged, len(c.Files), len(got))
	}
	for _, want := range c.Files {
		if got[want.Name] != want {
			return c, fmt.Errorf("%w: %s is not what was written", ErrDamaged, want.Name)
		}
	}
	if _, err := t.Next(); !errors.Is(err, io.EOF) { // and the checksum of the stream
		return c, fmt.Errorf("%w: after its end", ErrDamaged)
	}
	if _, err := io.Copy(io.Discard, z); err != nil {
		return c, fmt.Errorf("%w: %w", ErrDamaged, err)
	}
	return c, nil
}

func take(r io.Reader, name string, open func(name string) (io.WriteCloser, error)) (File, error) {
	w, err := open(name)
	if err != nil {
		return File{}, err
	}
	sum := sha256.New()
	c := counter{sum: sum}
	_, err = io.Copy(w, io.TeeReader(r, &c))
	if closed := w.Close(); err == nil && closed != nil {
		return File{}, fmt.Errorf("write %s: %w", name, closed)
	}
	if err != nil {
		return File{}, fmt.Errorf("%w: %s: %w", ErrDamaged, name, err)
	}
	return File{name, c.n, hex.EncodeToString(sum.Sum(nil))}, nil
}

type counter struct {
	sum hash.Hash
	n   int64
}

func (c *counter) Write(p []byte) (int, error) {
	c.n += int64(len(p))
	return c.sum.Write(p)
}

// Restore puts the data folder of a backup where there is none yet, or an empty one. It appears when everything in it was checked.
func Restore(ctx context.Context, path, data string) (Contents, error) {
	if list, err := os.ReadDir(data); err == nil && len(list) > 0 {
		return Contents{}, fmt.Errorf("%s is not empty: restore into a folder of its own", data)
	} else if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return Contents{}, fmt.Errorf("look into %s: %w", data, err)
	}
	if err := os.MkdirAll(filepath.Dir(filepath.Clean(data)), 0o700); err != nil {
		return Contents{}, fmt.Errorf("make room for %s: %w", data, err)
	}
	work, err := os.MkdirTemp(filepath.Dir(filepath.Clean(data)), ".restoring-")
	if err != nil {
		return Contents{}, fmt.Errorf("restore: %w", err)
	}
	defer os.RemoveAll(work) // gone when it was put in its place
	if err := os.Mkdir(filepath.Join(work, "index"), 0o700); err != nil {
		return Contents{}, fmt.Errorf("restore: %w", err)
	}
	c, err := unpack(ctx, path, func(name string) (io.WriteCloser, error) {
		return os.OpenFile(filepath.Join(work, filepath.FromSlash(name)), os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o600)
	})
	if err != nil {
		return c, err
	}
	if err := sound(ctx, filepath.Join(work, database)); err != nil {
		return c, err
	}
	if err := os.Remove(data); err != nil && !errors.Is(err, fs.ErrNotExist) { // an empty one
		return c, fmt.Errorf("restore: %w", err)
	}
	if err := os.Rename(work, data); err != nil {
		return c, fmt.Errorf("put the data folder in its place: %w", err)
	}
	return c, nil
}

// List are the backups in a folder, the newest first.
func List(into string) ([]string, error) {
	all, err := os.ReadDir(into)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	}
	if err != nil {
		return nil, fmt.Errorf("list the backups: %w", err)
	}
	var out []string
	for _, e := range all {
		if e.Type().IsRegular() && pattern.MatchString(e.Name()) {
			out = append(out, filepath.Join(into, e.Name()))
		}
	}
	slices.SortFunc(out, func(a, b string) int { return strings.Compare(b, a) })
	return out, nil
}

// Keep removes the oldest backups of a folder beyond so many, and gives what it removed. Other files are left alone.
func Keep(into string, most int) ([]string, error) {
	all, err := List(into)
	if err != nil || len(all) <= max(most, 1) {
		return nil, err
	}
	gone := all[max(most, 1):]
	for _, path := range gone {
		if err := os.Remove(path); err != nil {
			return nil, fmt.Errorf("remove an old backup: %w", err)
		}
	}
	return gone, nil
}

// Last is when the newest backup of a folder was made; the zero time when there is none.
func Last(into string) (time.Time, error) {
	all, err := List(into)
	if err != nil || len(all) == 0 {
		return time.Time{}, err
	}
	name := strings.TrimSuffix(strings.TrimPrefix(filepath.Base(all[0]), "jolvex-"), ".tar.zst")
	return time.Parse("20060102T150405Z", name)
}
