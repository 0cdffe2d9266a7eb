"""Fits the support figure of core/answer to what `go run ./tools/evaluate -samples FILE` writes (a build-time tool).

Logistic regression over the likeness of question and passage, how far it stands out from passages that are merely about the
subject, and the coverage of the question's words. Of each question's first three passages the one with the highest figure
counts. Classes weigh the same in all; questions worded by hand weigh more than headings, and questions whose entry was taken
out weigh less, as other entries answer some of them. Five folds by question: prints the share answered at 0.5, by kind.

Usage: python fit.py SAMPLES.jsonl
Needs: numpy.
"""

import json
import random
import sys

import numpy as np

NAMES = ["cosine", "margin", "soft"]
WEIGHT = {"answered headings": 0.5, "answered reworded": 2.5, "answered two-word": 2.5, "off-subject": 0.5}
ABOUT_FROM, ABOUT_TO, USUAL, USUAL_COUNT = 5, 20, 0.15, 5  # as in core/answer/support.go


def features(row):
    rest = sorted(row["cosines"], reverse=True)[ABOUT_FROM:ABOUT_TO]
    about = (sum(rest) + USUAL_COUNT * USUAL) / (len(rest) + USUAL_COUNT)
    return np.array([[f["cosine"], f["cosine"] - about, f["soft"]] for f in row["features"][:3]])


def load(path):
    out = []
    for line in open(path, encoding="utf-8"):
        row = json.loads(line)
        answered = row["kind"].startswith("answered")
        if not row["features"] or (answered and not any(row["right"][:3])):
            continue  # what was not found says nothing of the bar
        weight = WEIGHT.get(row["kind"], 0.5 if row["collection"].endswith("+h") else 0.25)
        out.append((row["collection"], row["kind"], row["question"], features(row), float(answered), weight))
    return out


def fit(data):
    w = np.array([0.0, 1.0, 0.0, 0.0])
    for _ in range(5):
        a, b, s = [], [], []
        for _, _, _, f, answered, weight in data:
            a.append(np.r_[1, f[int(np.argmax(f @ w[1:]))]])
            b.append(answered)
            s.append(weight)
        a, b, s = np.array(a), np.array(b), np.array(s)
        s = np.where(b == 1, s / (s * b).sum(), s / (s * (1 - b)).sum()) * len(b) / 2
        w = np.zeros(a.shape[1])
        for _ in range(40):  # Newton's method with a little shrinkage of all but the bias
            p = 1 / (1 + np.exp(-a @ w))
            gradient = a.T @ (s * (p - b)) + np.r_[0, w[1:]]
            w -= np.linalg.solve((a * (s * p * (1 - p))[:, None]).T @ a + np.eye(len(w)), gradient)
    return w


def main():
    data = load(sys.argv[1])
    questions = sorted({d[2] for d in data})
    random.Random(1).shuffle(questions)
    fold = {q: i % 5 for i, q in enumerate(questions)}
    answered = {}
    for k in range(5):
        w = fit([d for d in data if fold[d[2]] != k])
        for collection, kind, question, f, _, _ in data:
            if fold[question] == k:
                answered.setdefault((collection, kind), []).append(w[0] + max(f @ w[1:]) > 0)
    print("bias %.2f " % fit(data)[0], *("%s %.2f" % p for p in zip(NAMES, fit(data)[1:])))
    for (collection, kind), v in sorted(answered.items()):
        print("%-14s %-18s answered %.2f of %d" % (collection, kind, np.mean(v), len(v)))


if __name__ == "__main__":
    main()
