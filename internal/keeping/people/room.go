// Package people is about who works here: the owner of the installation, invitations, roles in each corpus, passwords and OpenID sign-in,
// and the sessions in which they are signed in.
package people

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"net/mail"
	"strings"
	"time"
	"unicode/utf8"

	"jolvex/core/text"
	"jolvex/internal/connections"
	"jolvex/internal/fault"
	"jolvex/internal/model"
	"jolvex/internal/store/register"
)

// Room keeps the people of one data folder.
type Room struct {
	register    *register.Register
	sessions    *register.Sessions
	connections *connections.Connections
	now         func() time.Time
	slow        *slow
	hashing     chan struct{} // a place for each password that is hashed at a time
}

// New makes the room.
func New(r *register.Register, s *register.Sessions, c *connections.Connections, now func() time.Time) *Room {
	return &Room{register: r, sessions: s, connections: c, now: now, slow: newSlow(now), hashing: make(chan struct{}, hashingAtOnce)}
}

// How long links may be used, and how long somebody stays signed in who does nothing.
const (
	inviteFor = 7 * 24 * time.Hour
	idleFor   = 14 * 24 * time.Hour
	seenEvery = 10 * time.Minute // how finely it is kept when somebody was last there
)

// Person is somebody who works here, as callers see them.
type Person struct {
	ID        string            `json:"id"`
	Name      string            `json:"name"`
	Mail      string            `json:"mail"`
	Owner     bool              `json:"owner" doc:"Owns the installation: may do everything, in every corpus"`
	Roles     map[string]string `json:"roles" doc:"What they may do, by the name of the corpus"`
	Password  bool              `json:"password" doc:"Has set a password"`
	Issuer    string            `json:"issuer,omitempty" doc:"The OpenID issuer by which they sign in"`
	CreatedAt string            `json:"createdAt"`
	SeenAt    string            `json:"seenAt,omitempty" doc:"When they were last there, to ten minutes"`
	EndedAt   string            `json:"endedAt,omitempty" doc:"Since when they may not come in any more"`
}

// Invitation is a link that is still open, without what it carries.
type Invitation struct {
	ID        string `json:"id"`
	Mail      string `json:"mail,omitempty" doc:"Only for this address; empty for whoever has the link"`
	Owner     bool   `json:"owner"`
	Corpus    string `json:"corpus,omitempty"`
	Role      string `json:"role,omitempty"`
	Person    string `json:"person,omitempty" doc:"Name of the person whose password it sets anew"`
	InvitedBy string `json:"invitedBy"`
	ExpiresAt string `json:"expiresAt"`
}

// Invited is a new invitation with its link.
type Invited struct {
	Invitation
	Token  string `json:"token" doc:"What the link carries after /welcome/; it is told once. Empty: the person works here already and has the role"`
	Mailed bool   `json:"mailed" doc:"It was sent to the address"`
}

// Asked says who is invited to what.
type Asked struct {
	Mail   string `json:"mail,omitempty" maxLength:"254" doc:"Mail address; empty for a link that anybody may use once"`
	Owner  bool   `json:"owner,omitempty" doc:"As an owner of the installation"`
	Corpus string `json:"corpus,omitempty" maxLength:"120"`
	Role   string `json:"role,omitempty" enum:"see,judge,write,release,own,"`
	Send   bool   `json:"send,omitempty" doc:"Send the link by mail"`
}

// Begun says whether anybody signs in here: whether there ever was an owner.
func (r *Room) Begun(ctx context.Context) (bool, error) {
	n, err := r.register.Owners(ctx)
	return n > 0, err
}

// commandLine is in whose name the links of owners are made that the program prints.
const commandLine = "the command line"

// OwnerLink makes the link by which the first owner comes in, or one more for somebody who was locked out: only who may read the data folder
// can ask for it. Those that were made before in this way work no longer.
func (r *Room) OwnerLink(ctx context.Context) (Invited, error) {
	list, err := r.register.Invitations(ctx)
	if err != nil {
		return Invited{}, err
	}
	for _, i := range list {
		if i.Owner && i.InvitedBy == commandLine {
			if _, err := r.register.Withdraw(ctx, i.ID, ""); err != nil {
				return Invited{}, err
			}
		}
	}
	return r.invite(ctx, register.Invitation{Owner: true, InvitedBy: commandLine})
}

// Invite invites somebody, in the name of a caller; base is the address of this program, for the link in a mail. Who works here already is given the role at once: then there is no link.
func (r *Room) Invite(ctx context.Context, by Caller, a Asked, base string) (Invited, error) {
	i := register.Invitation{Mail: strings.TrimSpace(a.Mail), Owner: a.Owner, InvitedBy: by.Name}
	if a.Owner == (a.Corpus != "") || (a.Corpus == "") != (a.Role == "") {
		return Invited{}, fault.Input("an invitation is to own the installation, or to a role in one corpus")
	}
	if a.Send && i.Mail == "" {
		return Invited{}, fault.Input("a link that is sent needs a mail address")
	}
	if a.Corpus != "" {
		id, _, err := r.register.Corpus(ctx, a.Corpus)
		if err != nil {
			return Invited{}, err
		}
		i.Corpus, i.Role = id, a.Role
	}
	if i.Mail != "" {
		if err := goodMail(i.Mail); err != nil {
			return Invited{}, err
		}
		p, err := r.register.PersonByMail(ctx, i.Mail)
		switch {
		case err == nil && p.EndedAt != "":
			return Invited{}, fault.Input("%s was here before and may not come in: an owner can let them in again", i.Mail)
		case err == nil && a.Owner:
			return Invited{}, fault.Input("%s works here already: make them an owner in the list of people", i.Mail)
		case err == nil:
			return Invited{Invitation: Invitation{Mail: p.Mail, Person: p.Name, Corpus: a.Corpus, Role: a.Role}}, r.register.SetRole(ctx, register.Role{Person: p.ID, Corpus: i.Corpus, Role: i.Role})
		case !errors.Is(err, fault.ErrMissing):
			return Invited{}, err
		}
	}
	got, err := r.invite(ctx, i)
	if err != nil || !a.Send {
		return got, err
	}
	if err := r.send(ctx, got, base, by.Name); err != nil {
		_, undo := r.register.Withdraw(ctx, got.ID, "")
		return Invited{}, errors.Join(fault.Input("the invitation could not be sent, and was withdrawn: %v", err), undo)
	}
	got.Mailed = true
	return got, nil
}

func (r *Room) invite(ctx context.Context, i register.Invitation) (Invited, error) {
	token := random()
	i.Token, i.ExpiresAt = hashed(token), r.now().Add(inviteFor).UTC().Format("2006-01-02T15:04:05.000Z")
	i, err := r.register.Invite(ctx, i)
	if err != nil {
		return Invited{}, err
	}
	shown, err := r.shown(ctx, i)
	return Invited{Invitation: shown, Token: token}, err
}

func hashed(token string) string {
	sum := sha256.Sum256([]byte(token))
	return hex.EncodeToString(sum[:])
}

func (r *Room) shown(ctx context.Context, i register.Invitation) (Invitation, error) {
	out := Invitation{ID: i.ID, Mail: i.Mail, Owner: i.Owner, Role: i.Role, InvitedBy: i.InvitedBy, ExpiresAt: i.ExpiresAt}
	if i.Corpus != "" {
		_, name, err := r.register.Corpus(ctx, i.Corpus)
		if err != nil && !errors.Is(err, fault.ErrMissing) {
			return out, err
		}
		out.Corpus = name
	}
	if i.Person != "" {
		p, err := r.register.Person(ctx, i.Person)
		if err != nil {
			return out, err
		}
		out.Person, out.Mail = p.Name, p.Mail
	}
	return out, nil
}

// send mails an invitation.
func (r *Room) send(ctx context.Context, i Invited, base, by string) error {
	c, err := r.connections.Mailer(ctx)
	if err != nil {
		return err
	}
	what := "to work on the assistant of " + i.Corpus
	if i.Owner {
		what = "to look after all assistants here"
	}
	body := fmt.Sprintf("%s invites you %s.\n\nOpen this link within seven days and choose a password:\n%s\n\nIf you did not expect this, delete this message.\n",
		by, what, strings.TrimRight(base, "/")+"/welcome/"+i.Token)
	return c.Send(ctx, model.Letter{To: i.Mail, Subject: "An invitation to Jolvex", Text: body})
}

// Invitations lists the open ones; of one corpus, by its id, when it is given.
func (r *Room) Invitations(ctx context.Context, corpus string) ([]Invitation, error) {
	list, err := r.register.Invitations(ctx)
	if err != nil {
		return nil, err
	}
	out := []Invitation{}
	for _, i := range list {
		if corpus != "" && i.Corpus != corpus {
			continue
		}
		s, err := r.shown(ctx, i)
		if err != nil {
			return nil, err
		}
		out = append(out, s)
	}
	return out, nil
}

// Withdraw ends an open invitation; of one corpus, by its id, when it is given.
func (r *Room) Withdraw(ctx context.Context, id, corpus string) error {
	list, err := r.Invitations(ctx, corpus)
	if err != nil {
		return err
	}
	for _, i := range list {
		if i.ID == id {
			_, err := r.register.Withdraw(ctx, id, "")
			return err
		}
	}
	return fmt.Errorf("invitation: %w", fault.ErrMissing)
}

// Invitation is what a link invites to. ErrMissing, wrapped, when it was used, has ended, or never was.
func (r *Room) Invitation(ctx context.Context, token string) (Invitation, error) {
	i, err := r.register.Invitation(ctx, hashed(token))
	if err != nil {
		return Invitation{}, err
	}
	return r.shown(ctx, i)
}

// Accepting is what somebody tells who takes up an invitation.
type Accepting struct {
	Name     string `json:"name,omitempty" maxLength:"120"`
	Mail     string `json:"mail,omitempty" maxLength:"254" doc:"Where the invitation is for no address"`
	Password string `json:"password" maxLength:"256"`
}

// Accept makes the person whom a link invites, or sets their new password, and gives their id.
func (r *Room) Accept(ctx context.Context, token string, a Accepting) (string, error) {
	i, err := r.register.Invitation(ctx, hashed(token))
	if err != nil {
		return "", err
	}
	p := register.Person{Name: strings.TrimSpace(a.Name), Mail: i.Mail, Owner: i.Owner}
	if i.Person != "" {
		if p, err = r.register.Person(ctx, i.Person); err != nil {
			return "", err
		}
	} else {
		if p.Mail == "" {
			p.Mail = strings.TrimSpace(a.Mail)
		}
		if err := errors.Join(goodName(p.Name), goodMail(p.Mail)); err != nil {
			return "", err
		}
		if _, err := r.register.PersonByMail(ctx, p.Mail); err == nil {
			return "", fault.Input("%s works here already: sign in", p.Mail)
		} else if !errors.Is(err, fault.ErrMissing) {
			return "", err
		}
	}
	if p.Password, err = r.hash(ctx, a.Password, p); err != nil {
		return "", err
	}
	p, err = r.register.Accept(ctx, i, p)
	return p.ID, err
}

// List gives everybody; of one corpus, by its id, those with a role there, when it is given.
func (r *Room) List(ctx context.Context, corpus string) ([]Person, error) {
	ps, err := r.register.People(ctx)
	if err != nil {
		return nil, err
	}
	roles, err := r.register.Roles(ctx, "", corpus)
	if err != nil {
		return nil, err
	}
	names, err := r.register.CorpusNames(ctx)
	if err != nil {
		return nil, err
	}
	by := map[string]map[string]string{}
	for _, x := range roles {
		if by[x.Person] == nil {
			by[x.Person] = map[string]string{}
		}
		by[x.Person][names[x.Corpus]] = x.Role
	}
	out := []Person{}
	for _, p := range ps {
		if corpus != "" && by[p.ID] == nil && !p.Owner {
			continue
		}
		one := Person{
			ID: p.ID, Name: p.Name, Mail: p.Mail, Owner: p.Owner, Roles: by[p.ID], Password: p.Password != "", Issuer: p.Issuer, CreatedAt: p.CreatedAt, SeenAt: p.SeenAt, EndedAt: p.EndedAt,
		}
		if one.Roles == nil {
			one.Roles = map[string]string{}
		}
		out = append(out, one)
	}
	return out, nil
}

// SetRole gives a person a role in a corpus, by its id; the empty one takes it away.
func (r *Room) SetRole(ctx context.Context, person, corpus string, role Role) error {
	if role != None && !role.known() {
		return fault.Input("there is no role %q", role)
	}
	if _, err := r.register.Person(ctx, person); err != nil {
		return err
	}
	return r.register.SetRole(ctx, register.Role{Person: person, Corpus: corpus, Role: string(role)})
}

// PersonChange is what may be changed of a person; what is nil stays.
type PersonChange struct {
	Name  *string `json:"name,omitempty" maxLength:"120"`
	Owner *bool   `json:"owner,omitempty" doc:"Owns the installation"`
	Ended *bool   `json:"ended,omitempty" doc:"May not come in any more; their sessions end"`
}

// Change changes a person. The last owner stays one.
func (r *Room) Change(ctx context.Context, id string, ch PersonChange) error {
	ended := ch.Ended != nil && *ch.Ended
	err := r.register.Change(ctx, id, func(p *register.Person, owners int) (bool, error) {
		if ch.Name != nil {
			p.Name = strings.TrimSpace(*ch.Name)
			if err := goodName(p.Name); err != nil {
				return false, err
			}
		}
		was := p.Owner && p.EndedAt == ""
		if ch.Owner != nil {
			p.Owner = *ch.Owner
		}
		switch {
		case ended && p.EndedAt == "":
			p.EndedAt = r.stamp()
		case ch.Ended != nil && !ended:
			p.EndedAt = ""
		}
		if was && (!p.Owner || p.EndedAt != "") && owners == 1 {
			return false, fault.Input("%s is the only owner: make somebody else an owner first", p.Name)
		}
		return ended, nil
	})
	if err != nil || !ended {
		return err
	}
	_, err = r.register.Withdraw(ctx, "", id) // links for a new password too
	return err
}

// NewPassword makes a link by which a person sets a new password.
func (r *Room) NewPassword(ctx context.Context, by Caller, id string) (Invited, error) {
	p, err := r.register.Person(ctx, id)
	if err != nil {
		return Invited{}, err
	}
	if p.EndedAt != "" {
		return Invited{}, fault.Input("%s may not come in: let them in again first", p.Name)
	}
	if _, err := r.register.Withdraw(ctx, "", id); err != nil {
		return Invited{}, err
	}
	return r.invite(ctx, register.Invitation{Person: id, InvitedBy: by.Name})
}

func (r *Room) stamp() string { return r.now().UTC().Format("2006-01-02T15:04:05.000Z") }

func goodMail(s string) error {
	a, err := mail.ParseAddress(s)
	if err != nil || a.Address != s || len(s) > 254 || !text.Plain(s) || !strings.Contains(s[strings.LastIndex(s, "@")+1:], ".") {
		return fault.Input("%q is not a mail address", s)
	}
	return nil
}

func goodName(s string) error {
	if s == "" || utf8.RuneCountInString(s) > 120 || !text.Plain(s) {
		return fault.Input("a name has 1 to 120 characters, and none that control or turn the writing")
	}
	return nil
}
