"""Packs the sentence encoder of core/embed (a build-time tool; nothing here runs in the product).

It reads all-MiniLM-L6-v2 (Apache-2.0; 6 layers, 384 dimensions, WordPiece), brings the big matrices to 8-bit integers with
one scale a row, and writes them as core/embed/model: weights.json (names, forms, places), weights-N.bin (under 4 MB each)
and vocab.txt. It also writes the fixture by which the Go encoder is checked value by value: for each text its pieces and
its vector, both from the original: pieces by the `tokenizers` library, vectors by a forward pass in float64.

Usage: python encoder.py MODEL_DIR OUT_DIR FIXTURE.json
Needs: numpy, safetensors, tokenizers.
"""

import json
import math
import sys
from pathlib import Path

import numpy as np
from safetensors.numpy import load_file
from tokenizers import Tokenizer

LAYERS, HEADS, WIDTH, LONGEST = 6, 12, 384, 256
PART = 3_900_000

TEXTS = [
    "How much is a bicycle to Sandrel?",
    "Bicycles travel for £4.00 each way and are put in the rack on the car deck.",
    "refund kayak",
    "The master of the boat decides whether it sails; in winds above force 8 it does not.",
    "naïve Café – «Ärger» über 3,5 % e-mail@example.org",
    "日本語 text, mixed: x_1 + y² ≠ 0…",
    "supercalifragilisticexpialidocious dpkg-reconfigure /etc/apt/sources.list",
    "a",
    "",
    "Dr. O'Neil can't won't don't!!! (see p. 4) [x] {y} <z> \"q\" 'r'",
    "word " * 400,
    "\u200bzero\u00adwidth\ttab\nline\x00nul\ufffd",
    "q" * 120 + " end",
]


def layer_norm(x, w, b):
    m = x.mean(-1, keepdims=True)
    v = ((x - m) ** 2).mean(-1, keepdims=True)
    return (x - m) / np.sqrt(v + 1e-12) * w + b


erf = np.vectorize(math.erf)


def encode(m, ids):
    """The model as it was published, for one text: ids [length] -> unit vector [384]."""
    t = len(ids)
    x = m["embeddings.word_embeddings.weight"][ids]
    x = x + m["embeddings.position_embeddings.weight"][:t] + m["embeddings.token_type_embeddings.weight"][0]
    x = layer_norm(x, m["embeddings.LayerNorm.weight"], m["embeddings.LayerNorm.bias"])
    for i in range(LAYERS):
        p = f"encoder.layer.{i}."

        def lin(name, v):
            return v @ m[p + name + ".weight"].T + m[p + name + ".bias"]

        q, k, v = (lin(f"attention.self.{s}", x).reshape(t, HEADS, -1).transpose(1, 0, 2) for s in ("query", "key", "value"))
        a = q @ k.transpose(0, 2, 1) / np.sqrt(WIDTH / HEADS)
        a = np.exp(a - a.max(-1, keepdims=True))
        a /= a.sum(-1, keepdims=True)
        c = (a @ v).transpose(1, 0, 2).reshape(t, WIDTH)
        n = "attention.output."
        x = layer_norm(x + lin(n + "dense", c), m[p + n + "LayerNorm.weight"], m[p + n + "LayerNorm.bias"])
        h = lin("intermediate.dense", x)
        h = 0.5 * h * (1 + erf(h / math.sqrt(2)))
        x = layer_norm(x + lin("output.dense", h), m[p + "output.LayerNorm.weight"], m[p + "output.LayerNorm.bias"])
    s = x.mean(0)
    return s / np.linalg.norm(s)


def to_int8(w):
    """Rows to whole numbers from -127 to 127 and one scale each; of a few scales the one with the least squared error."""
    best, scale = None, None
    for cut in (1.0, 0.95, 0.9, 0.85, 0.8, 0.75):
        s = np.abs(w).max(1) * cut / 127 + 1e-12
        q = np.clip(np.round(w / s[:, None]), -127, 127)
        e = ((q * s[:, None] - w) ** 2).sum(1)
        if best is None:
            best, scale = e, s
        else:
            scale = np.where(e < best, s, scale)
            best = np.minimum(e, best)
    return np.clip(np.round(w / scale[:, None]), -127, 127).astype(np.int8), scale.astype("<f4")


def main():
    model_dir, out_dir, fixture = map(Path, sys.argv[1:4])
    m = {k: v for k, v in load_file(model_dir / "model.safetensors").items() if v.dtype != np.int64}
    tensors, blob = [], bytearray()

    def put(name, form, a):
        tensors.append({"name": name, "form": form, "shape": list(a.shape), "at": len(blob)})
        blob.extend(a.tobytes())

    def put8(name, w):
        q, s = to_int8(w.astype(np.float64))
        put(name, "int8", q)
        put(name + ".scale", "float32", s)

    def put32(name, a):
        put(name, "float32", a.astype("<f4"))

    put8("words", m["embeddings.word_embeddings.weight"])
    put32("places", m["embeddings.position_embeddings.weight"][:LONGEST] + m["embeddings.token_type_embeddings.weight"][0])
    put32("norm.weight", m["embeddings.LayerNorm.weight"])
    put32("norm.bias", m["embeddings.LayerNorm.bias"])
    for i in range(LAYERS):
        p = f"encoder.layer.{i}."
        a = p + "attention."
        for kind in ("weight", "bias"):
            joined = np.concatenate([m[f"{a}self.{s}.{kind}"] for s in ("query", "key", "value")])
            (put8 if kind == "weight" else put32)(f"{i}.qkv.{kind}", joined)
        for ours, theirs in (("mix", a + "output.dense"), ("up", p + "intermediate.dense"), ("down", p + "output.dense")):
            put8(f"{i}.{ours}.weight", m[theirs + ".weight"])
            put32(f"{i}.{ours}.bias", m[theirs + ".bias"])
        for ours, theirs in (("norm1", a + "output.LayerNorm"), ("norm2", p + "output.LayerNorm")):
            for kind in ("weight", "bias"):
                put32(f"{i}.{ours}.{kind}", m[f"{theirs}.{kind}"])
    out_dir.mkdir(parents=True, exist_ok=True)
    for old in out_dir.glob("weights-*.bin"):
        old.unlink()
    parts = -(-len(blob) // PART)
    for i in range(parts):
        (out_dir / f"weights-{i}.bin").write_bytes(blob[i * PART : (i + 1) * PART])
    head = {"id": "minilm-l6-int8-1", "layers": LAYERS, "heads": HEADS, "width": WIDTH, "longest": LONGEST, "parts": parts, "tensors": tensors}
    (out_dir / "weights.json").write_text(json.dumps(head) + "\n")
    (out_dir / "vocab.txt").write_bytes((model_dir / "vocab.txt").read_bytes())
    tok = Tokenizer.from_file(str(model_dir / "tokenizer.json"))
    tok.no_padding()
    tok.enable_truncation(LONGEST)
    m64 = {k: v.astype(np.float64) for k, v in m.items()}
    rows = []
    for s in TEXTS:
        ids = tok.encode(s).ids
        rows.append({"text": s, "pieces": ids, "vector": [round(float(x), 6) for x in encode(m64, np.array(ids))]})
    fixture.parent.mkdir(parents=True, exist_ok=True)
    fixture.write_text(json.dumps({"source": "all-MiniLM-L6-v2, float64 forward pass (numpy), tokenizers " + __import__("tokenizers").__version__, "texts": rows}) + "\n")
    print(len(blob), "bytes in", parts, "parts")


if __name__ == "__main__":
    main()
