// Package demo holds the made-up scenario: a small ferry line, its website and the questions that are asked of it.
package demo

import (
	"embed"
	"io/fs"
	"strings"
)

// Names used by the demo.
const (
	Corpus  = "Tolmouth Ferries"
	Set     = "First questions"
	Refusal = "Our pages say nothing about that."
	TurnTo  = "The customer line on 01632 960411 can help."
	Mail    = "ask@tolmouth.example" // at which the office is written to
	Welcome = "Ask about boats, fares, luggage and the piers."
	First   = "How much is a car to Sandrel?\nCan I bring my kayak?\nWhat happens in fog?"
)

// The corpus for visitors from abroad: pages in German, asked in four languages.
const (
	Visitors    = "Tolmouth für Gäste"
	VisitorsSet = "In vier Sprachen"
)

//go:embed pages visitors sets handed-over pairs.csv method talk.tsv
var files embed.FS

// Pages are the pages of the demo site: Markdown with a title, or a piece of HTML; and its files.
func Pages() fs.FS {
	sub, err := fs.Sub(files, "pages")
	if err != nil {
		panic("demo: " + err.Error()) // the folder's name is fixed above
	}
	return sub
}

// QuestionSet is one set of expected questions, one JSON object a line.
type QuestionSet struct {
	Name  string
	Lines []byte
}

// Sets are the demo's question sets: the first covers the site; the second puts one need in four ways, plays conversations, and
// has every kind of expectation.
func Sets() []QuestionSet {
	out := []QuestionSet{{Name: Set}, {Name: "Every way of asking"}}
	for i, name := range []string{"first", "second"} {
		b, err := files.ReadFile("sets/" + name + ".jsonl")
		if err != nil {
			panic("demo: " + err.Error()) // the names are fixed above
		}
		out[i].Lines = b
	}
	return out
}

// Questions are those of the first set.
func Questions() []byte { return Sets()[0].Lines }

// Handbook is a document that is handed over and that only staff may be answered from.
func Handbook() (name string, body []byte) {
	const at = "crew-handbook.pdf"
	b, err := files.ReadFile("handed-over/" + at)
	if err != nil {
		panic("demo: " + err.Error())
	}
	return at, b
}

// File is a document that is handed over.
type File struct {
	Name string
	Body []byte
}

// VisitorPages are the pages for visitors from abroad: Markdown, in German.
func VisitorPages() []File {
	list, err := fs.ReadDir(files, "visitors")
	if err != nil {
		panic("demo: " + err.Error()) // the folder's name is fixed above
	}
	var out []File
	for _, e := range list {
		b, err := files.ReadFile("visitors/" + e.Name())
		if err != nil {
			panic("demo: " + err.Error())
		}
		out = append(out, File{e.Name(), b})
	}
	return out
}

// VisitorQuestions are expected questions over them in German, French, Spanish and English, one JSON object a line.
func VisitorQuestions() []byte {
	b, err := files.ReadFile("sets/visitors.jsonl")
	if err != nil {
		panic("demo: " + err.Error())
	}
	return b
}

// Pairs are questions with their answers, as CSV.
func Pairs() []byte {
	b, err := files.ReadFile("pairs.csv")
	if err != nil {
		panic("demo: " + err.Error())
	}
	return b
}

// Rules are the house rules, a JSON list.
func Rules() []byte { return inMethod("rules.json") }

// Glossary is the glossary as CSV.
func Glossary() []byte { return inMethod("glossary.csv") }

// Sheet lists the pinned questions.
func Sheet() []string {
	return strings.Split(strings.TrimSpace(string(inMethod("sheet.txt"))), "\n")
}

func inMethod(name string) []byte {
	b, err := files.ReadFile("method/" + name)
	if err != nil {
		panic("demo: " + err.Error()) // the names are fixed above
	}
	return b
}
