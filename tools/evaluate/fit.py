"""Fits the support figure of core/answer to what `go run ./tools/evaluate -samples FILE` writes (a build-time tool).

Logistic regression over what the passage looked like that a reply stands on. Right replies, to questions that the material answers, are
held against replies to questions of other collections, to questions whose entry was taken out, to near misses with one word swapped, and
against replies that stand on another entry. Each class of the two weighs the same in all; questions worded by hand weigh three times.
Each collection is left out in turn: prints the chance that a right reply has more support than one of each other kind (AUC), and what
share of those is caught where 2, 5 and 10 of 100 right replies are lost.

Usage: python fit.py SAMPLES.jsonl [FEATURE ...]
Needs: numpy.
"""

import json
import sys

import numpy as np

NAMES = ["cosine", "margin", "held"]
WEIGHT = {"off-subject": 0.4}


def load(path, names):
    rows = [json.loads(line) for line in open(path, encoding="utf-8")]
    x = np.array([[r["features"][n] for n in names] for r in rows], float)
    y = np.array([float(r["kind"].startswith("answered") and r["right"]) for r in rows])
    kind = np.array([r["kind"].split()[0] for r in rows])
    collection = np.array([r["collection"].split("+")[0] for r in rows])
    w = np.array([WEIGHT.get(r["kind"], 1.0) for r in rows])
    for i, r in enumerate(rows):
        if y[i] and r["kind"] != "answered headings":
            w[i] = 3
        elif not y[i] and r["kind"].startswith("answered"):
            w[i] = 0.5
    for c in (0, 1):
        w[y == c] /= w[y == c].sum() / 500
    return x, y, w, kind, collection


def fit(x, y, w):
    a = np.c_[np.ones(len(x)), x]
    v = np.zeros(a.shape[1])
    for _ in range(40):  # Newton's method with a little shrinkage of all but the bias
        p = 1 / (1 + np.exp(-a @ v))
        gradient = a.T @ (w * (p - y)) + 0.1 * np.r_[0, v[1:]]
        v -= np.linalg.solve((a * (w * p * (1 - p))[:, None]).T @ a + 0.1 * np.eye(len(v)), gradient)
    return v


def auc(pos, neg):
    return np.mean((pos[:, None] > neg[None, :]) + 0.5 * (pos[:, None] == neg[None, :]))


def main():
    names = sys.argv[2:] or NAMES
    x, y, w, kind, collection = load(sys.argv[1], names)
    z = np.zeros(len(x))
    for c in sorted(set(collection)):
        v = fit(x[collection != c], y[collection != c], w[collection != c])
        z[collection == c] = np.c_[np.ones((collection == c).sum()), x[collection == c]] @ v
    v = fit(x, y, w)
    print("bias %.2f " % v[0], *("%s %.2f" % p for p in zip(names, v[1:])))
    lost = [np.quantile(z[y == 1], q) for q in (0.02, 0.05, 0.1)]
    for k in sorted(set(kind)):
        at = z[(kind == k) & (y == 0)]
        print("%-12s %4d  AUC %.3f  caught" % (k, len(at), auc(z[y == 1], at)), *("%.2f" % (at < t).mean() for t in lost))


if __name__ == "__main__":
    main()
