"""Writes what SentencePiece makes of 10,000 lines, for the test of the encoder of many languages.

The lines are those of debian-reference in English, German, French and Spanish (Debian packages debian-reference-en, -de, -fr, -es), read as below,
and the test reads them the same way. Only fingerprints are kept: of each line and of its pieces, eight hexadecimal digits of SHA-256.

Usage: python pieces.py e5-small-q4.bin core/embed/testdata/pieces.txt
Needs: numpy, scipy, sentencepiece.
"""

import glob
import hashlib
import html
import re
import sys
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent.parent / "embeddings"))
import multilingual

LINES = 10_000


def lines():
    """Runs of text between tags, in the order of files and places, each once."""
    seen = set()
    for part in range(LINES):
        found = False
        for language in ("de", "en", "es", "fr"):
            files = sorted(glob.glob(f"/usr/share/debian-reference/ch*.{language}.html"))
            if part >= len(files):
                continue
            found = True
            for run in re.split(r"<[^>]*>", Path(files[part]).read_text()):
                line = " ".join(html.unescape(run).split())
                if line and line not in seen:
                    seen.add(line)
                    yield line
        if not found:
            return


def fingerprint(s):
    return hashlib.sha256(s.encode()).hexdigest()[:8]


def main():
    m = multilingual.Model(sys.argv[1])
    sp = multilingual.reference(m)
    kept = {i for i, s in enumerate(m.pieces) if i < 4 or multilingual.served(s)}
    out, n = [], 0
    for line in lines():
        ids = [m.bos, *(i if i in kept else m.unk for i in sp.encode(line)), m.eos]
        out.append(fingerprint(line) + " " + fingerprint(" ".join(map(str, ids))))
        n += 1
        if n == LINES:
            break
    Path(sys.argv[2]).write_text("\n".join(out) + "\n")
    print(n, "lines, sentencepiece", multilingual.sentencepiece.__version__)


if __name__ == "__main__":
    main()
