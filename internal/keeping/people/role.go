package people

import (
	"context"
	"slices"
)

// Role is what a person may do with a corpus. Each holds all that stands before it.
type Role string

// The roles, each with what it adds.
const (
	None    Role = ""        // nothing: the corpus is not even listed
	See     Role = "see"     // reads all but what users said
	Judge   Role = "judge"   // reads what users said; marks, reviews, works snags
	Write   Role = "write"   // changes sources, settings, question sets, settled answers
	Release Role = "release" // releases, and takes a release back
	Own     Role = "own"     // says who may do what; deletes; erases a visitor
)

var ladder = []Role{None, See, Judge, Write, Release, Own}

// Holds says whether a role is enough where another is needed.
func (r Role) Holds(need Role) bool {
	return slices.Index(ladder, r) >= slices.Index(ladder, need)
}

// NamedRole is a role with what it is called.
type NamedRole struct {
	Name  Role   `json:"name" enum:"see,judge,write,release,own"`
	Label string `json:"label"`
	May   string `json:"may" doc:"What it allows, in words"`
}

// Named lists the roles, the least first, with what they are called.
func Named() []NamedRole {
	return []NamedRole{
		{See, "Read", "sees sources, settings, question sets and results; asks the draft"},
		{Judge, "Review", "also reads conversations, marks replies, works on snags, starts runs"},
		{Write, "Edit", "also changes sources, settings, question sets and settled answers"},
		{Release, "Release", "also releases, and takes a release back"},
		{Own, "Own", "also decides who may do what, erases visitors, deletes the corpus"},
	}
}

func (r Role) known() bool { return r != None && slices.Contains(ladder, r) }

// Via says by which door somebody came.
const (
	ViaSession = "session" // signed in, in a browser
	ViaMachine = "machine" // this machine, where nobody signs in
	ViaCommand = "command" // the command line, over the socket of the data folder
)

// Caller is who does something, as what.
type Caller struct {
	Person  string // id; empty where nobody signs in
	Name    string
	Mail    string
	Owner   bool // of the installation: may do everything
	Roles   map[string]Role
	Via     string
	Address string // network address
	Session string // id of the session
}

// May says whether the caller may do in a corpus, by its id, what a role may.
func (c Caller) May(corpus string, need Role) bool { return c.Owner || c.Roles[corpus].Holds(need) }

type callerKey struct{}

// WithCaller says who does what is done with a context.
func WithCaller(ctx context.Context, c Caller) context.Context {
	return context.WithValue(ctx, callerKey{}, c)
}

// CallerOf is who does what is done with a context; nobody, who may do nothing, when nothing was said.
func CallerOf(ctx context.Context) Caller {
	c, _ := ctx.Value(callerKey{}).(Caller)
	return c
}
