"""Builds the static word vectors of core/embed (a build-time tool; nothing here runs in the product).

It runs a sentence encoder (all-MiniLM-L6-v2, Apache-2.0) once over a vocabulary - its own word pieces and the
most frequent English words - and keeps one vector for each: mean over the pieces, reduced by principal
components, weighted by how rare the word is (smooth inverse frequency, Arora et al. 2017, with Zipf's law for the
frequency of a rank), and stored as 8-bit integers with one scale a row.

Usage: python distill.py MODEL_DIR WORDS.txt OUT_DIR [DIMENSIONS]
  MODEL_DIR  holds model.safetensors, vocab.txt, tokenizer.json
  WORDS.txt  words by falling frequency, one a line
Needs: numpy, safetensors, tokenizers. The result is split into files under 4 MB.
"""

import json
import sys
from pathlib import Path

import numpy as np
from safetensors.numpy import load_file
from tokenizers import Tokenizer

LAYERS, HEADS, WIDTH = 6, 12, 384
EXTRA_WORDS = 40_000
PART = 3_900_000
COMMON = 3


def layer_norm(x, w, b):
    m = x.mean(-1, keepdims=True)
    v = ((x - m) ** 2).mean(-1, keepdims=True)
    return (x - m) / np.sqrt(v + 1e-12) * w + b


def gelu(x):
    # tanh form, within 1e-3 of the exact one
    return 0.5 * x * (1 + np.tanh(0.7978845608 * (x + 0.044715 * x**3)))


def encode(m, ids):
    """ids: [batch][length], all of one length -> mean-pooled vectors [batch][384]."""
    n, t = ids.shape
    x = m["embeddings.word_embeddings.weight"][ids]
    x = x + m["embeddings.position_embeddings.weight"][:t] + m["embeddings.token_type_embeddings.weight"][0]
    x = layer_norm(x, m["embeddings.LayerNorm.weight"], m["embeddings.LayerNorm.bias"])
    for i in range(LAYERS):
        p = f"encoder.layer.{i}."

        def lin(name, v):
            return v @ m[p + name + ".weight"].T + m[p + name + ".bias"]

        q, k, v = (
            lin(f"attention.self.{s}", x).reshape(n, t, HEADS, -1).transpose(0, 2, 1, 3)
            for s in ("query", "key", "value")
        )
        a = q @ k.transpose(0, 1, 3, 2) / np.sqrt(WIDTH / HEADS)
        a = np.exp(a - a.max(-1, keepdims=True))
        a /= a.sum(-1, keepdims=True)
        c = (a @ v).transpose(0, 2, 1, 3).reshape(n, t, WIDTH)
        x = layer_norm(
            x + lin("attention.output.dense", c),
            m[p + "attention.output.LayerNorm.weight"],
            m[p + "attention.output.LayerNorm.bias"],
        )
        h = lin("output.dense", gelu(lin("intermediate.dense", x)))
        x = layer_norm(x + h, m[p + "output.LayerNorm.weight"], m[p + "output.LayerNorm.bias"])
    return x.mean(1)


def main():
    model_dir, words_file, out_dir = map(Path, sys.argv[1:4])
    dims = int(sys.argv[4]) if len(sys.argv) > 4 else 256
    m = {k: v.astype(np.float32) for k, v in load_file(model_dir / "model.safetensors").items() if v.dtype != np.int64}
    tok = Tokenizer.from_file(str(model_dir / "tokenizer.json"))
    tok.no_padding()
    tok.no_truncation()
    pieces = [w.rstrip("\n") for w in open(model_dir / "vocab.txt", encoding="utf-8")]
    rank = {}
    for w in open(words_file, encoding="utf-8"):
        rank.setdefault(w.strip(), len(rank))
    vocab = [p for p in pieces if not p.startswith("[") and (p.isascii() and p.replace("##", "").isalnum())]
    have = set(vocab)
    vocab += [w for w in list(rank)[:120_000] if w.isascii() and w.isalpha() and len(w) > 2 and w not in have][:EXTRA_WORDS]
    cls, sep = tok.token_to_id("[CLS]"), tok.token_to_id("[SEP]")
    ids = []
    for w in vocab:
        body = [tok.token_to_id(w)] if w in have else tok.encode(w, add_special_tokens=False).ids
        ids.append([cls, *body, sep])
    out = np.zeros((len(vocab), WIDTH), np.float32)
    by_len = {}
    for i, t in enumerate(ids):
        by_len.setdefault(len(t), []).append(i)
    for length, rows in sorted(by_len.items()):
        for s in range(0, len(rows), 512):
            part = rows[s : s + 512]
            out[part] = encode(m, np.array([ids[i] for i in part]))
        print("length", length, "rows", len(rows), flush=True)
    last = len(rank)
    r = np.array([rank.get(w.replace("##", ""), last // 4 if w.startswith("##") else last) for w in vocab], float)
    p = 1 / (r + 2.7)
    p /= (1 / (np.arange(last) + 2.7)).sum()
    weight = 1e-3 / (1e-3 + p)
    # Mean and components as texts see them, by frequency times weight. The first components are common to all texts and
    # tell nothing apart ("All-but-the-Top", Mu and Viswanath 2018): they go.
    q = p * weight / (p * weight).sum()
    centred = out.astype(np.float64) - (q[:, None] * out).sum(0)
    _, vectors = np.linalg.eigh((centred * q[:, None]).T @ centred)
    red = centred @ vectors[:, ::-1][:, COMMON : COMMON + dims] * weight[:, None]
    scale = np.abs(red).max(1) / 127 + 1e-12
    q = np.round(red / scale[:, None]).astype(np.int8)
    out_dir.mkdir(parents=True, exist_ok=True)
    blob = q.tobytes()
    for i in range(0, len(blob), PART):
        (out_dir / f"vectors-{i // PART}.bin").write_bytes(blob[i : i + PART])
    (out_dir / "scales.bin").write_bytes(scale.astype("<f4").tobytes())
    (out_dir / "words.txt").write_text("\n".join(vocab) + "\n", encoding="utf-8")
    meta = {"id": f"static-minilm-{dims}-2", "rows": len(vocab), "dimensions": dims, "parts": -(-len(blob) // PART)}
    (out_dir / "meta.json").write_text(json.dumps(meta) + "\n")
    print(meta)


if __name__ == "__main__":
    main()
