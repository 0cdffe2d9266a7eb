"""Trustworthiness of a layout by scikit-learn, for the tests of core/chart.

    python3 -m venv refs && refs/bin/pip install scikit-learn==1.9.1
    refs/bin/python tools/reference/trust.py > core/chart/testdata/trust.json

Continuity is trustworthiness with the two spaces changed places (Venna and Kaski 2001). Vectors are of length 1, and Euclidean
distance orders them as one less the cosine does.
"""

import json
import sys
from importlib.metadata import version

import numpy as np
from sklearn.manifold import trustworthiness

rng = np.random.default_rng(7)
centres = rng.normal(size=(6, 12))
vs = np.concatenate([c + 0.4 * rng.normal(size=(12, 12)) for c in centres])
vs = (vs / np.linalg.norm(vs, axis=1, keepdims=True)).astype(np.float32)
ps = np.round(vs[:, :2] + 0.2 * rng.normal(size=(len(vs), 2)), 4)
json.dump(
    {
        "library": "scikit-learn " + version("scikit-learn"),
        "vectors": [[float(x) for x in v] for v in vs],
        "points": [[float(x) for x in p] for p in ps],
        "trustworthiness": {str(k): float(trustworthiness(vs, ps, n_neighbors=k)) for k in (1, 5, 12)},
        "continuity": {str(k): float(trustworthiness(ps, vs, n_neighbors=k)) for k in (1, 5, 12)},
    },
    sys.stdout,
)
