package people

import (
	"context"
	"errors"
	"strings"
	"time"

	"jolvex/internal/fault"
	"jolvex/internal/store/register"
)

// Session is one browser in which somebody is signed in.
type Session struct {
	ID      string `json:"id"`
	Agent   string `json:"agent" doc:"How the browser names itself"`
	Address string `json:"address" doc:"Network address from which it signed in"`
	BeganAt string `json:"beganAt"`
	SeenAt  string `json:"seenAt" doc:"To ten minutes"`
	Here    bool   `json:"here" doc:"The one that asks"`
}

// Values is what a session of a person holds when it begins, by the register's keys.
func (r *Room) Values(person, agent, address string) map[string]string {
	now := r.stamp()
	return map[string]string{
		register.SessionID: random(), register.SessionPerson: person, register.SessionAgent: cut(agent, 200), register.SessionAddress: address, register.SessionBegan: now, register.SessionSeen: now,
	}
}

func cut(s string, most int) string {
	return strings.ToValidUTF8(s[:min(len(s), most)], "")
}

// Stale says whether it is time to keep anew when a session was last used.
func (r *Room) Stale(seen string) bool {
	at, err := time.Parse(time.RFC3339, seen)
	return err != nil || r.now().Sub(at) > seenEvery
}

// Now is the moment as sessions keep it.
func (r *Room) Now() string { return r.stamp() }

// Resume gives who a session belongs to; false when they may not come in any more, or have been away for too long.
func (r *Room) Resume(ctx context.Context, person, seen string) (Caller, bool, error) {
	at, err := time.Parse(time.RFC3339, seen)
	if err != nil || r.now().Sub(at) > idleFor {
		return Caller{}, false, nil
	}
	p, err := r.register.Person(ctx, person)
	if errors.Is(err, fault.ErrMissing) || err == nil && p.EndedAt != "" {
		return Caller{}, false, nil
	}
	if err != nil {
		return Caller{}, false, err
	}
	c := Caller{Person: p.ID, Name: p.Name, Mail: p.Mail, Owner: p.Owner, Via: ViaSession, Roles: map[string]Role{}}
	if p.Owner {
		return c, true, nil
	}
	roles, err := r.register.Roles(ctx, p.ID, "")
	for _, x := range roles {
		c.Roles[x.Corpus] = Role(x.Role)
	}
	return c, err == nil, err
}

// Seen keeps that a person is there.
func (r *Room) Seen(ctx context.Context, person string) error {
	return r.register.Change(ctx, person, func(p *register.Person, _ int) (bool, error) {
		p.SeenAt = r.stamp()
		return false, nil
	})
}

// Sessions lists where somebody is signed in.
func (r *Room) Sessions(ctx context.Context, by Caller) ([]Session, error) {
	list, err := r.sessions.Of(ctx, by.Person)
	if err != nil {
		return nil, err
	}
	out := []Session{}
	for _, s := range list {
		out = append(out, Session{s.ID, s.Agent, s.Address, s.BeganAt, s.SeenAt, s.ID == by.Session})
	}
	return out, nil
}

// EndSession ends one of one's sessions.
func (r *Room) EndSession(ctx context.Context, by Caller, id string) error {
	if id == "" {
		return fault.Input("which session?")
	}
	n, err := r.sessions.End(ctx, by.Person, id, "")
	if err == nil && n == 0 {
		return fault.ErrMissing
	}
	return err
}

// SignOut ends every session of a person.
func (r *Room) SignOut(ctx context.Context, person string) error {
	_, err := r.sessions.End(ctx, person, "", "")
	return err
}

// Held says whether a session is still there: it was ended, perhaps, while it was in use.
func (r *Room) Held(ctx context.Context, person, id string) (bool, error) {
	list, err := r.sessions.Of(ctx, person)
	for _, s := range list {
		if s.ID == id {
			return true, err
		}
	}
	return false, err
}
