"""Measures an exported run with reference libraries, for the tests of core/prove.

    python3 -m venv refs && refs/bin/pip install ir-measures==0.4.3 rouge-score==0.1.2 scipy==1.17.1
    refs/bin/python tools/reference/measures.py run.trec run.qrels run.csv > core/prove/testdata/reference.json

The three files are what a run exports: its rankings, its judgements and what was measured of each question. Measures of retrieval come from
ir-measures, ROUGE-L from rouge-score without its stemmer, the bootstrap interval from scipy. Token F1 follows the evaluation script of
SQuAD 2.0 (Rajpurkar, Jia and Liang 2018), written down from memory.
"""

import collections
import csv
import json
import random
import re
import string
import sys
from importlib.metadata import version

import ir_measures
import numpy as np
from ir_measures import RR, P, R, Success, nDCG
from rouge_score import rouge_scorer
from scipy import stats


def normalise(s):
    s = "".join(c for c in s.lower() if c not in set(string.punctuation))
    return " ".join(re.sub(r"\b(a|an|the)\b", " ", s).split())


def token_f1(got, want):
    a, b = normalise(got).split(), normalise(want).split()
    if not a or not b:
        return float(a == b)
    same = sum((collections.Counter(a) & collections.Counter(b)).values())
    if same == 0:
        return 0.0
    p, r = same / len(a), same / len(b)
    return 2 * p * r / (p + r)


def measures(run, qrels):
    names = {"ndcg10": nDCG @ 10, "precision5": P @ 5, "recall5": R @ 5, "rr": RR, "hit1": Success @ 1, "hit5": Success @ 5}
    back = {m: k for k, m in names.items()}
    out = collections.defaultdict(dict)
    for x in ir_measures.iter_calc(names.values(), qrels, run):
        out[x.query_id][back[x.measure]] = x.value
    return out


def drawn(rng):
    """Rankings with several relevant documents, some of them never found."""
    run, qrels = [], []
    for q in range(40):
        docs = [f"d{i}" for i in range(30)]
        rng.shuffle(docs)
        n = rng.randint(0, 20)
        for i, d in enumerate(docs[:n]):
            run.append(ir_measures.ScoredDoc(f"q{q}", d, float(n - i)))
        for d in rng.sample(docs, rng.randint(1, 12)):
            qrels.append(ir_measures.Qrel(f"q{q}", d, 1))
    return run, qrels


def main():
    run = list(ir_measures.read_trec_run(sys.argv[1]))
    qrels = list(ir_measures.read_trec_qrels(sys.argv[2]))
    rows = list(csv.DictReader(open(sys.argv[3], encoding="utf-8")))
    rng = random.Random(14)
    drun, dqrels = drawn(rng)
    replies = [r["reply"] for r in rows if r["reply"]]
    scorer = rouge_scorer.RougeScorer(["rougeL"], use_stemmer=False)
    pairs = []
    for a, b in zip(replies, replies[1:] + replies[:1]):
        cut = " ".join(b.split()[: rng.randint(1, 12)])
        for x, y in ((a, b), (b, cut)):
            pairs.append({"got": x, "want": y, "f1": token_f1(x, y), "rougeL": scorer.score(y, x)["rougeL"].fmeasure})
    values = [rng.choice([-1, 0, 0, 0, 1, 1]) for _ in range(120)]
    low, high = stats.bootstrap((np.array(values, float),), np.mean, method="percentile", n_resamples=20000, rng=np.random.default_rng(14)).confidence_interval
    json.dump(
        {
            "libraries": {k: version(k) for k in ("ir-measures", "pytrec-eval-terrier", "rouge-score", "scipy")},
            "exported": measures(run, qrels),
            "drawn": {
                "run": {q: [d.doc_id for d in drun if d.query_id == q] for q in sorted({d.query_id for d in dqrels})},
                "qrels": {q: [d.doc_id for d in dqrels if d.query_id == q] for q in sorted({d.query_id for d in dqrels})},
                "measures": measures(drun, dqrels),
            },
            "pairs": pairs[:60],
            "bootstrap": {"values": values, "low": low, "high": high},
        },
        sys.stdout,
        indent=1,
        ensure_ascii=False,
    )


main()
