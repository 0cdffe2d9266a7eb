// Package demo holds the made-up scenario: a small ferry line, its website and the questions that are asked of it.
package demo

import (
	"embed"
	"io/fs"
)

// Names used by the demo.
const (
	Corpus  = "Tolmouth Ferries"
	Set     = "First questions"
	Refusal = "Our pages say nothing about that."
	TurnTo  = "The customer line on 01632 960411 can help."
)

//go:embed pages sets
var files embed.FS

// Pages are the pages of the demo site: Markdown with a title, or a piece of HTML.
func Pages() fs.FS {
	sub, err := fs.Sub(files, "pages")
	if err != nil {
		panic("demo: " + err.Error()) // the folder's name is fixed above
	}
	return sub
}

// Questions are the expected questions, one JSON object a line.
func Questions() []byte {
	b, err := files.ReadFile("sets/first.jsonl")
	if err != nil {
		panic("demo: " + err.Error())
	}
	return b
}
