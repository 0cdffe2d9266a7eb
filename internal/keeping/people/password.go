package people

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"sync"
	"time"
	"unicode/utf8"

	"github.com/alexedwards/argon2id"

	"jolvex/internal/fault"
	"jolvex/internal/store/register"
)

// hashingAtOnce is how many passwords are hashed at a time: each takes 64 MiB.
const hashingAtOnce = 2

// strength is the second recommended choice of RFC 9106, section 4, for where memory is limited: 64 MiB, 3 passes, 4 lanes.
var strength = argon2id.Params{Memory: 64 << 10, Iterations: 3, Parallelism: 4, SaltLength: 16, KeyLength: 32}

// decoy is what is compared when there is no such person, so that the time tells nothing: the hash of nobody's password.
const decoy = "$argon2id$v=19$m=65536,t=3,p=4$AAAAAAAAAAAAAAAAAAAAAA$AAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAA"

// Lengths of a password. A length is asked for and nothing else, as NIST SP 800-63B advises.
const (
	shortestPassword = 12
	longestPassword  = 256
)

// ErrRefused says that somebody cannot be let in. It does not say why: who guesses learns nothing.
var ErrRefused = errors.New("the mail address and the password do not belong together")

// SlowError says that there were too many failures, and when to try again.
type SlowError struct{ Wait time.Duration }

func (e SlowError) Error() string {
	return fmt.Sprintf("too many failed attempts: try again in %d seconds", int(e.Wait.Seconds())+1)
}

// hash gives a new password's hash, once it is good enough for its person.
func (r *Room) hash(ctx context.Context, password string, p register.Person) (string, error) {
	n := utf8.RuneCountInString(password)
	if n < shortestPassword || n > longestPassword {
		return "", fault.Input("a password has %d to %d characters", shortestPassword, longestPassword)
	}
	low, _ := strings.CutSuffix(strings.ToLower(password), " ")
	if low == strings.ToLower(p.Mail) || low == strings.ToLower(p.Name) || strings.Count(low, low[:1]) == len(low) {
		return "", fault.Input("a password is not one's name or address, and not one character over and over")
	}
	if err := r.enter(ctx); err != nil {
		return "", err
	}
	defer r.leave()
	return argon2id.CreateHash(password, &strength)
}

func (r *Room) matches(ctx context.Context, password, hash string) (bool, error) {
	if err := r.enter(ctx); err != nil {
		return false, err
	}
	defer r.leave()
	return argon2id.ComparePasswordAndHash(password, hash)
}

func (r *Room) enter(ctx context.Context) error {
	select {
	case r.hashing <- struct{}{}:
		return nil
	case <-ctx.Done():
		return ctx.Err()
	}
}

func (r *Room) leave() { <-r.hashing }

// SignIn gives the id of the person with an address and a password. ErrRefused, or a SlowError after failures with this account or from this
// network address.
func (r *Room) SignIn(ctx context.Context, mail, password, address string) (string, error) {
	keys := []string{"account " + strings.ToLower(strings.TrimSpace(mail)), "address " + address}
	if err := r.slow.enter(keys); err != nil {
		return "", err
	}
	p, err := r.register.PersonByMail(ctx, strings.TrimSpace(mail))
	if err != nil && !errors.Is(err, fault.ErrMissing) {
		return "", err
	}
	hash := p.Password
	if hash == "" {
		hash = decoy
	}
	good, err := r.matches(ctx, password, hash)
	if err != nil {
		return "", err
	}
	if !good || p.Password == "" || p.EndedAt != "" {
		return "", ErrRefused
	}
	r.slow.forget(keys[0])
	r.slow.forget(keys[1])
	return p.ID, nil
}

// SetPassword changes one's own password, which takes the old one where there is one, and ends one's other sessions.
func (r *Room) SetPassword(ctx context.Context, by Caller, old, next string) error {
	p, err := r.register.Person(ctx, by.Person)
	if err != nil {
		return err
	}
	if p.Password != "" {
		if _, err := r.SignIn(ctx, p.Mail, old, by.Address); err != nil {
			return err
		}
	}
	hash, err := r.hash(ctx, next, p)
	if err != nil {
		return err
	}
	if err := r.register.Change(ctx, p.ID, func(p *register.Person, _ int) (bool, error) {
		p.Password = hash
		return false, nil
	}); err != nil {
		return err
	}
	_, err = r.sessions.End(ctx, p.ID, "", by.Session)
	return err
}

// slow makes who fails wait: longer each time, an account from its fifth failure on, a network address from its twentieth. An attempt counts
// as a failure until it has succeeded, so that many at once gain nothing.
type slow struct {
	now func() time.Time
	mu  sync.Mutex
	by  map[string]*failures
}

type failures struct {
	count int
	last  time.Time
}

const (
	freeFailures    = 5
	freeFromAddress = 20
	firstWait       = 2 * time.Second
	longestWait     = 15 * time.Minute
	slowForgets     = 24 * time.Hour
	mostSlow        = 50_000 // accounts and addresses that are remembered
)

func newSlow(now func() time.Time) *slow { return &slow{now: now, by: map[string]*failures{}} }

// enter counts an attempt under every key, or, when one of them has to wait, none.
func (s *slow) enter(keys []string) error {
	s.mu.Lock()
	defer s.mu.Unlock()
	now := s.now()
	var wait time.Duration
	for _, k := range keys {
		f := s.by[k]
		if f == nil || now.Sub(f.last) > slowForgets {
			continue
		}
		free := freeFailures
		if strings.HasPrefix(k, "address ") {
			free = freeFromAddress
		}
		if over := f.count - free; over >= 0 {
			pause := min(longestWait, firstWait<<min(over, 20))
			wait = max(wait, f.last.Add(pause).Sub(now))
		}
	}
	if wait > 0 {
		return SlowError{wait}
	}
	for _, k := range keys {
		f := s.by[k]
		if f == nil || now.Sub(f.last) > slowForgets {
			s.room(now)
			f = &failures{}
			s.by[k] = f
		}
		f.count, f.last = f.count+1, now
	}
	return nil
}

// room forgets the oldest when there are too many.
func (s *slow) room(now time.Time) {
	if len(s.by) < mostSlow {
		return
	}
	for k, f := range s.by {
		if now.Sub(f.last) > longestWait {
			delete(s.by, k)
		}
	}
	for k := range s.by {
		if len(s.by) < mostSlow {
			return
		}
		delete(s.by, k)
	}
}

func (s *slow) forget(key string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	delete(s.by, key)
}
