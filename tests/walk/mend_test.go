package walk

import (
	"fmt"
	"path/filepath"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/demo"
)

// What visitors asked comes in, is read and marked, and what went wrong is settled in three ways and seen to be cured.
func TestMending(t *testing.T) {
	data := filepath.Join(t.TempDir(), "data")
	require.Equal(t, 0, run(t, "", "gather", "--data", data, "--corpus", "f", "--allow-private", ferries(t, 0)).code)
	server := start(t, "serve", "--data", data, "--addr", "127.0.0.1:0")
	p := openPage(t, server.address+"c/f/mend")
	p.has(".notice", "No conversations yet")
	p.audit("mend, empty")

	// A log of 300 conversations, answered by the draft.
	p.clickText("Import conversations")
	log := written(t, "log.jsonl", string(demo.Log(300, 28, time.Now(), "http://ferries.example", 1))+"{\"question\": 7}\n")
	p.do(chromedp.SetUploadFiles(chromedp.CSS(`input[type=file]`), []string{log}))
	p.has(".el-dialog", "300 conversations with")
	p.has(".el-dialog", "1 line could not be taken in.")
	p.audit("import conversations")
	p.clickText("Import")
	p.has(".el-dialog", "300 conversations new.")
	p.clickText("Close")
	p.choose("Time", "Last 30 days")
	p.until(`document.querySelectorAll('.job').length === 0 && document.querySelectorAll('tr.line').length > 10 && !document.querySelector('tbody').innerText.includes('waits')`)
	p.has(".strip", "refused")

	// Read, mark, filter, by keys too.
	p.leave()
	p.key("j")
	p.has(".talk", "Evidence")
	p.key("a")
	p.until(`document.querySelector('tbody').innerText.includes('✓ right')`)
	p.clickText("Evidence")
	p.has(".talk .trail", "Searched")
	p.audit("log")
	p.choose("Outcome", "Refused")
	p.until(`location.search.includes('outcome=refused') && [...document.querySelectorAll('tr.line')].every(r => r.innerText.includes('refused'))`)

	// What went wrong, like questions as one line.
	p.do(chromedp.Navigate(server.address + "c/f/mend?view=snags"))
	p.clickText("Gather now")
	p.has("tr.line", "voucher")
	p.has("header nav", "open snags")
	p.audit("snags")

	// Settled by an answer: asked again, and cured.
	snag := func(about string) {
		p.do(chromedp.Navigate(server.address + "c/f/mend?view=snags"))
		js := fmt.Sprintf(`[...document.querySelectorAll('tr.line button')].find(b => b.innerText.toLowerCase().includes(%q))`, about)
		p.until(js)
		p.do(chromedp.Evaluate[chromedp.Void]("(" + js + ").click()"))
		p.has("section.snag", "What is true")
	}
	snag("voucher")
	p.clickText("Write a settled answer")
	p.has(".catches", "It will answer")
	p.write("form.settled textarea", "Gift vouchers from £25.00 are sold at the ticket office.")
	p.audit("snag")
	p.clickText("Settle with this answer")
	p.has("section.snag", "Before and after")
	p.until(`document.querySelectorAll('.pairs tbody tr').length > 0 && [...document.querySelectorAll('.pairs tbody tr')].some(r => r.children[2].innerText.includes('£25.00'))`)
	p.has("section.snag", "settled by a settled answer")

	// Expected in a set, by what is true.
	snag("wine")
	p.write(`textarea[aria-label="What is true"]`, "You may bring your own food and drinks, but no more than 1 litre of wine.")
	p.leave()
	p.clickText("Find the cause")
	p.has("section.snag", "not gathered")
	p.clickText("Expect it in a question set")
	p.clickText("Add to the set")
	p.has("section.snag", "settled as an expected question")

	// Waiting for its source.
	snag("") // the most asked of those left
	p.clickText("Mend the source")
	p.do(chromedp.Evaluate[chromedp.Void](`document.querySelector('input[aria-label="Document to mend"]').click()`))
	p.write(`input[aria-label="Document to mend"]`, "parking")
	p.until(`[...document.querySelectorAll('[role=option]')].some(o => o.innerText.includes('parking'))`)
	p.do(chromedp.Evaluate[chromedp.Void](`[...document.querySelectorAll('[role=option]')].find(o => o.innerText.includes('parking')).click()`))
	p.clickText("Wait for the source")
	p.has("section.snag", "waits for its source")

	p.do(chromedp.Navigate(server.address + "c/f/mend?view=settled"))
	p.has("td", "Gift vouchers from £25.00")
	p.audit("settled answers")
	p.do(chromedp.Navigate(server.address + "c/f/mend?view=figures"))
	p.has(".tiles", "settled unaided")
	p.has("table", "no clear trend")
	p.audit("figures")
	p.do(chromedp.Navigate(server.address + "c/f/mend?view=uncovered"))
	p.has("article", "In users’ words")
	p.audit("not covered")
	p.do(chromedp.Navigate(server.address + "c/f/mend?view=accuracy"))
	p.clickText("Draw a sample")
	p.has("td", "100 of")
	p.audit("accuracy")
	p.do(chromedp.Navigate(server.address + "c/f/mend?view=notices"))
	p.clickText("Tell somebody")
	p.write(`form.edit input`, "https://hook.example/jolvex")
	p.audit("notices")
	p.clickText("Save")
	p.has(".notice", "whsec_")
	var set struct{ Questions []struct{ Text string } }
	get(t, server.address+"api/corpora/f/sets/From%20users", &set)
	assert.NotEmpty(t, set.Questions)
	server.stop(t)
}
