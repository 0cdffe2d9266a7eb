package walk

import (
	"regexp"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// The first owner comes in by the printed link, invites somebody who may only read, and sees in the audit trail what both did.
func TestPeople(t *testing.T) {
	data := t.TempDir()
	r := run(t, "", "serve", "--data", data, "--addr", "0.0.0.0:0")
	assert.Equal(t, 1, r.code)
	assert.Contains(t, r.stderr, "without sign-in Jolvex listens on this machine alone")

	server := start(t, "serve", "--sign-in", "--data", data, "--addr", "127.0.0.1:0")
	link := run(t, "", "people", "owner", "--data", data)
	require.Equal(t, 0, link.code, link.stderr)
	path := regexp.MustCompile(`/(welcome/\S+)`).FindStringSubmatch(link.stdout)
	require.NotNil(t, path, link.stdout)

	p := openPage(t, server.address)
	p.has("form", "Nobody has signed in here yet")
	p.audit("sign in")
	p.do(chromedp.Navigate(server.address + path[1]))
	p.has("form", "You become an owner")
	p.audit("welcome")
	p.write(`input[name=name]`, "Olive Owner")
	p.write(`input[name=mail]`, "olive@tolmouth.example")
	p.write(`input[name=password]`, "seven grey herring gulls")
	p.clickText("Come in")
	p.has("header", "Olive Owner")
	p.write(`input[aria-label="Name of a new corpus"]`, "harbour")
	p.clickText("Make corpus")
	p.has("header nav", "Gather")

	// Invited, with a link that is shown once.
	p.do(chromedp.Navigate(server.address + "c/harbour/people"))
	p.has("h1", "People of harbour")
	p.choose("Role", "Read")
	p.clickText("Invite")
	p.has(".notice .link", "/welcome/")
	p.audit("people of a corpus")
	invited := p.text(".notice .link")

	// Another browser.
	q := openPage(t, invited)
	q.has("form", "Olive Owner invites you to harbour")
	q.write(`input[name=name]`, "Ada Reader")
	q.write(`input[name=mail]`, "ada@tolmouth.example")
	q.write(`input[name=password]`, "a long enough password")
	q.clickText("Come in")
	q.has("header", "Ada Reader")
	q.do(chromedp.Navigate(server.address + "c/harbour/mend"))
	q.has("main", `this needs the role "Review" in this corpus`)
	q.do(chromedp.Navigate(server.address + "account"))
	q.has("td", "this browser")
	q.audit("account")

	// What both did, and that nothing of it was changed since.
	p.do(chromedp.Navigate(server.address + "audit"))
	p.has("table", "Take up an invitation, and sign in")
	p.clickText("Check that nothing was changed")
	p.has(".notice", "entries follow from each other")
	p.audit("audit trail")
	p.do(chromedp.Navigate(server.address + "people"))
	p.has("table", "Read: harbour")
	p.audit("people")
	p.click(`button[aria-label="Change Ada Reader"]`)
	p.clickText("Do not let in any more")
	p.has("table", "may not come in")
	q.do(chromedp.Navigate(server.address))
	q.has("form", "Sign in")

	p.click(".person button")
	p.clickText("Sign out")
	p.has("form", "Sign in")
	checked := run(t, "", "audit", "check", "--data", data)
	assert.Equal(t, 0, checked.code, checked.stderr)
	listed := run(t, "", "people", "list", "--data", data)
	assert.Contains(t, listed.stdout, "olive@tolmouth.example  owner")
	server.stop(t)
}
