package channels

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"net/mail"
	"regexp"
	"slices"
	"strings"

	"jolvex/internal/fault"
)

// letter is a mail as far as it is answered.
type letter struct {
	id      string   // Message-ID, with its angle brackets
	answers []string // ids of what it answers, the nearest first
	from    mail.Address
	to      string // address that a reply goes to
	subject string
	text    string // what was written, without what is quoted and the signature
	machine string // why it is not answered: a machine wrote it; empty for people
}

// Bounds on a mail.
const (
	mostAnswers = 50  // of the mails that one answers, the nearest
	mostID      = 300 // bytes
)

// readLetter reads a mail (RFC 5322, MIME). ErrInput, wrapped, when it is none.
func readLetter(raw []byte) (letter, error) {
	m, err := mail.ReadMessage(bytes.NewReader(raw))
	if err != nil {
		return letter{}, fault.Input("that is no mail: %v", err)
	}
	header := func(name string) string {
		if s, err := decoder.DecodeHeader(m.Header.Get(name)); err == nil {
			return s
		}
		return m.Header.Get(name) // in a writing that nobody knows: as it stands
	}
	addresses := mail.AddressParser{WordDecoder: &decoder}
	l := letter{subject: short(header("Subject"), 200), id: id(header("Message-Id"))}
	if l.id == "" {
		sum := sha256.Sum256(raw)
		l.id = "<" + hex.EncodeToString(sum[:16]) + "@no-id.invalid>"
	}
	from, err := addresses.Parse(m.Header.Get("From"))
	if err != nil {
		return letter{}, fault.Input("that is no mail: nobody can be told to have sent it")
	}
	l.from, l.to = *from, from.Address
	if a, err := addresses.Parse(m.Header.Get("Reply-To")); err == nil {
		l.to = a.Address
	}
	for _, x := range append(ids(header("In-Reply-To")), reversed(ids(header("References")))...) {
		if !slices.Contains(l.answers, x) && len(l.answers) < mostAnswers {
			l.answers = append(l.answers, x)
		}
	}
	l.machine = machine(header, l.from.Address)
	var b body
	if err := b.read(m.Header, m.Body, 0); err != nil {
		return letter{}, fault.Input("the mail cannot be read: %v", err)
	}
	if l.text = own(b.plain); l.text == "" {
		l.text = own(b.html)
	}
	return l, nil
}

// anID is a message's id (RFC 5322, 3.6.4), as far as it can be told from what is around it.
var anID = regexp.MustCompile(`<[^<>\s]{1,298}>`)

func id(s string) string { return anID.FindString(s) }

func ids(s string) []string { return anID.FindAllString(s, -1) }

func reversed(s []string) []string {
	slices.Reverse(s)
	return s
}

// machine says why a mail is not answered: it was written by a machine or to a list. RFC 3834, chapter 2, has responders look at Auto-Submitted, at the
// null sender and at lists (RFC 2369, RFC 2919); Precedence and the addresses of machines are common practice, no published source.
func machine(header func(string) string, from string) string {
	if a := strings.ToLower(strings.TrimSpace(header("Auto-Submitted"))); a != "" && a != "no" {
		return "it says that a machine sent it"
	}
	if header("List-Id") != "" || header("List-Unsubscribe") != "" || header("List-Post") != "" {
		return "it came by a mailing list"
	}
	if slices.Contains([]string{"bulk", "list", "junk", "auto_reply"}, strings.ToLower(strings.TrimSpace(header("Precedence")))) {
		return "it was sent in bulk"
	}
	if strings.TrimSpace(header("Return-Path")) == "<>" {
		return "it reports on another mail"
	}
	local, _, _ := strings.Cut(strings.ToLower(from), "@")
	bare := strings.NewReplacer("-", "", "_", "", ".", "").Replace(local)
	if slices.Contains([]string{"mailerdaemon", "postmaster", "noreply", "donotreply", "bounce", "bounces"}, bare) || strings.HasPrefix(local, "owner-") || strings.HasSuffix(local, "-request") {
		return "nobody reads what is sent to " + from
	}
	return ""
}

var (
	head    = regexp.MustCompile(`^\s*\**[^\s:][^:]{0,24}:\**\s+\S`)
	dashes  = regexp.MustCompile(`^\s*(-{3,}|_{8,})`)
	initial = regexp.MustCompile(`\b\pL\.`) // of a name
	forward = regexp.MustCompile(`^\s*>`)
)

// own is what somebody wrote themselves: without what they quote, the line that says so, and their signature ("-- " and a line break, RFC 3676, 4.3).
// How quotations are begun where they are not marked by ">" is common practice, no published source: a line of dashes or underscores, or none, and then
// lines such as "From: ...", of which one has a mail address.
func own(text string) string {
	lines := strings.Split(strings.ReplaceAll(text, "\r\n", "\n"), "\n")
	var out []string
	for n, line := range lines {
		if line == "-- " || line == "--" || quotedHead(lines[n:]) {
			break
		}
		if forward.MatchString(line) {
			for len(out) > 0 && strings.TrimSpace(out[len(out)-1]) == "" {
				out = out[:len(out)-1]
			}
			out = withoutIntroduction(out)
			continue
		}
		out = append(out, strings.TrimRight(line, " \t"))
	}
	return strings.TrimSpace(strings.Join(out, "\n"))
}

// withoutIntroduction leaves off the lines, three at most, that end with a colon before a quotation and have a date or an address in them.
func withoutIntroduction(out []string) []string {
	if len(out) == 0 || !strings.HasSuffix(out[len(out)-1], ":") {
		return out
	}
	from := len(out) - 1
	for from > 0 && len(out)-from < 3 && out[from-1] != "" && !strings.ContainsAny(out[from-1][len(out[from-1])-1:], ".?!") {
		from--
	}
	if !strings.ContainsAny(strings.Join(out[from:], " "), "@0123456789") {
		return out
	}
	return out[:from]
}

// quotedHead reports whether lines begin with the head of a quoted mail.
func quotedHead(lines []string) bool {
	at := 0
	if dashes.MatchString(lines[0]) {
		at = 1
		for at < len(lines) && strings.TrimSpace(lines[at]) == "" {
			at++
		}
	}
	n, address := 0, false
	for ; at < len(lines) && head.MatchString(lines[at]); at++ {
		n++
		address = address || strings.Contains(lines[at], "@")
	}
	return n >= 3 && address
}

// Lengths in words by which a letter is told from what stands around it (common practice, no published source).
const (
	mostGreeting = 6 // of the line that a letter begins with
	mostClosing  = 5 // of each line that it ends with
	leastLetter  = 3 // of what is left
)

// within is a letter without the line that greets and the lines that take leave, in any language: a short first line that ends with a comma, a colon
// or an exclamation mark, and a last paragraph of short lines that are no sentences. Where little would be left, all of it is.
func within(s string) string {
	paragraphs := strings.Split(s, "\n\n")
	lines := strings.Split(paragraphs[0], "\n")
	if first := strings.TrimSpace(lines[0]); len(strings.Fields(first)) <= mostGreeting && first != "" && strings.ContainsAny(first[len(first)-1:], ",:!") {
		paragraphs[0] = strings.Join(lines[1:], "\n")
	}
	for len(paragraphs) > 1 && closes(paragraphs[len(paragraphs)-1]) {
		paragraphs = paragraphs[:len(paragraphs)-1]
	}
	if left := strings.TrimSpace(strings.Join(paragraphs, "\n\n")); len(strings.Fields(left)) >= leastLetter {
		return left
	}
	return s
}

// closes reports whether a paragraph takes leave, or is a name: its lines are short and no sentences.
func closes(paragraph string) bool {
	for line := range strings.Lines(paragraph) {
		line = initial.ReplaceAllString(strings.TrimRight(strings.TrimSpace(line), ",!"), "")
		if len(strings.Fields(line)) > mostClosing || strings.ContainsAny(line, "?.:;0123456789") {
			return false
		}
	}
	return true
}

// automatic are the headers of a mail that the program sends by itself (RFC 3834, chapter 5), and those that put it into its thread.
func automatic(l map[string]string) map[string]string {
	out := map[string]string{"Auto-Submitted": "auto-replied"}
	for k, v := range l {
		out[k] = v
	}
	return out
}

// threaded are the headers that make a mail an answer to another.
func threaded(own, answers string) map[string]string {
	return map[string]string{"Message-ID": own, "In-Reply-To": answers, "References": answers}
}

// newID is the id of a mail from an address.
func newID(name, from string) string {
	_, host, _ := strings.Cut(from, "@")
	return fmt.Sprintf("<%s@%s>", name, host)
}

func short(s string, most int) string {
	s = strings.Join(strings.Fields(s), " ")
	if rs := []rune(s); len(rs) > most {
		return string(rs[:most])
	}
	return s
}
