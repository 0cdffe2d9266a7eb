package prove

import "sort"

// Weighed is one question as it would be answered whatever the evidence bar, for placing the bar.
type Weighed struct {
	ID       string  `json:"id"`
	Question string  `json:"question"`
	Support  float64 `json:"support"` // of the best evidence; the question is answered at bars up to here
	Right    bool    `json:"right"`   // answering it is right: what is expected of the reply holds
	Refusal  bool    `json:"refusal"` // it should be refused: answering it is wrong
	Fixed    bool    `json:"fixed"`   // the bar has no say: a courtesy, a house rule, nothing found
}

// Height is what comes of one height of the evidence bar.
type Height struct {
	Bar      float64 `json:"bar"`
	Answered float64 `json:"answered" doc:"Share of the questions that are answered: coverage"`
	Wrong    float64 `json:"wrong" doc:"Share of the answered that are answered wrongly: risk"`
	Refused  float64 `json:"refused" doc:"Share of the questions that should be refused and are"`
	Lost     float64 `json:"lost" doc:"Share of the questions that would be answered rightly and are refused"`
}

// Curve is the risk and coverage of a set at each height of the bar at which something changes, from 0 up (risk-coverage
// curves: El-Yaniv and Wiener 2010, "On the Foundations of Noise-free Selective Classification", section 2). Coverage never
// grows with the bar.
func Curve(ws []Weighed) []Height {
	var bars []float64
	for _, w := range ws {
		if !w.Fixed {
			bars = append(bars, w.Support)
		}
	}
	sort.Float64s(bars)
	out := []Height{At(ws, 0)}
	for i, b := range bars {
		if next := above(b); i+1 == len(bars) || bars[i+1] > b {
			out = append(out, At(ws, next))
		}
	}
	return out
}

// step is by how much a bar is set above the support of the question that it is to refuse.
const step = 1e-6

func above(support float64) float64 { return support + step }

// At is what comes of one height of the bar.
func At(ws []Weighed, bar float64) Height {
	h := Height{Bar: bar}
	n, answered, wrong, should, refused, good, lost := 0, 0, 0, 0, 0, 0, 0
	for _, w := range ws {
		if w.Fixed {
			continue
		}
		n++
		over := w.Support >= bar
		if over {
			answered++
			if !w.Right {
				wrong++
			}
		}
		if w.Refusal {
			should++
			if !over {
				refused++
			}
		}
		if w.Right {
			good++
			if !over {
				lost++
			}
		}
	}
	h.Answered, h.Wrong, h.Refused, h.Lost = part(answered, n), part(wrong, answered), part(refused, should), part(lost, good)
	return h
}

func part(k, n int) float64 {
	if n == 0 {
		return 0
	}
	return float64(k) / float64(n)
}
