package indexing

import (
	"strings"

	"jolvex/core/index"
	"jolvex/internal/fault"
)

// Marks of sources and documents, besides the audience.
const (
	Unquotable = "unquotable" // may be found and pointed to, not quoted
	Given      = "given"      // may be handed out as a file when asked for
	Volatile   = "volatile"   // changes from day to day: point to it, do not quote it
	Settled    = "settled"    // of pairs: a person signed the answer off; it ranks first when its question is asked
)

func MarksOf(s string) []string {
	if s == "" {
		return []string{}
	}
	return strings.Split(s, ",")
}

func CheckAudience(s string) error {
	group, ok := strings.CutPrefix(s, index.Group)
	if s == index.Public || s == index.Staff || ok && strings.TrimSpace(group) == group && group != "" && len(group) <= 60 {
		return nil
	}
	return fault.Input("an audience is public, staff, or group: and a name, not %q", s)
}
