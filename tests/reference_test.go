package tests

import (
	_ "github.com/blevesearch/bleve/v2"
	_ "gonum.org/v1/gonum/mat"
)
