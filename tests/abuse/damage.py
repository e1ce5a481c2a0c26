"""What a hostile hand does to a text, a form or a file: seeded, so that what breaks can be asked for again."""

from __future__ import annotations

import random
import string

# Each of these is no figure, no name and no file of ours, or stands at an edge of what is one.
NASTY = (
    "",
    " ",
    "0",
    "-0",
    "-1",
    "1e309",
    "-1e309",
    "1e-400",
    "nan",
    "NaN mm",
    "inf",
    "-Infinity",
    "9" * 400,
    "0." + "0" * 400 + "1",
    "9" * 400 + " mm",
    "1/0 in",
    "1/" + "9" * 300 + " in",
    "3-0/0 in",
    "²",
    "١٢٣",
    "½ in",
    "1,5,5",
    "1.5.5 mm",
    "--5 mm",
    "+−5",
    "5 mm ± nan",
    "5 mm ± 1e400 mm",
    "5 furlong",
    "5 mm 5 mm",
    str(2**31),
    str(2**63 - 1),
    str(2**63),
    str(2**64),
    "-" + str(2**63),
    "1_000",
    "0x1f",
    "1e5",
    "true",
    "null",
    "None",
    "[]",
    "{}",
    '{"a":{"b":{}}}',
    "[" * 5000,
    '{"a":' * 3000,
    '[["parts"],1]',
    '[[["parts","block","bore"],"1e999 mm"]]',
    '[[["cylinders","1","bore","value","value"],"1 mm"]]',
    '[[["' + '","'.join("abcdefgh" * 40) + '"],1]]',
    '[{"op":"deck_cut","amount":"1e309 mm"}]',
    '[{"op":"deck_cut","amount":{"value":"1 mm","u":"nan"}}]',
    '[{"op":"head_cut","bank":"Z","amount":"-5 mm"}]',
    '[{"op":"gasket","thickness":"' + "9" * 400 + ' mm"}]',
    "\x00",
    "a\x00b",
    "\ud800",
    "\u202eabc",
    "\u2028",
    "e\u0301" * 200,
    "漢字",
    "\x1b[31m",
    "a\r\nSet-Cookie: x=y",
    "<script>alert(1)</script>",
    "{{ 7*7 }}",
    "{% include 'x' %}",
    "%s%s%s%n",
    "'; DROP TABLE build;--",
    "' OR 1=1 --",
    "\\",
    '"',
    "../../../etc/passwd",
    "//evil.example",
    "/\\evil.example",
    "javascript:alert(1)",
    "=cmd|'/c calc'!A0",
    " " * 5000,
    "a" * 300,
    "a" * 20_000,
    "1 " * 3000,
    ";" * 2000,
    "\n" * 3000,
    "~" * 500,
    "a~b~c~d~e~f~g",
)
_LETTERS = string.printable + "äß漢−·½\u00a0\ufeff\u200b"


def text(rng: random.Random, was: str = "") -> str:
    """A text in place of another: another altogether, or that one damaged."""
    turn = rng.random()
    if turn < 0.45 or not was:
        return rng.choice(NASTY)
    if turn < 0.6:
        return was + rng.choice(NASTY)
    if turn < 0.7:
        return "".join(rng.choice(_LETTERS) for _ in range(rng.randint(1, 40)))
    letters = list(was)
    for _ in range(rng.randint(1, 3)):
        at = rng.randrange(len(letters) + 1)
        act = rng.random()
        if act < 0.35:
            letters.insert(at, rng.choice(_LETTERS))
        elif letters and act < 0.7:
            letters.pop(min(at, len(letters) - 1))
        elif letters:
            letters[min(at, len(letters) - 1)] = rng.choice(_LETTERS)
    return "".join(letters)


def fields(rng: random.Random, was: dict[str, str]) -> list[tuple[str, str]]:
    """The fields of a form or a query, some of them damaged, left out, sent twice or invented."""
    out = []
    for name, value in was.items():
        turn = rng.random()
        if turn < 0.06:
            continue
        out.append((name, text(rng, value) if turn < 0.4 else value))
        if turn > 0.97:
            out.append((name, text(rng, value)))
    if rng.random() < 0.15:
        out.append((text(rng, "version")[:200], text(rng)))
    return out


def data(rng: random.Random, was: bytes) -> bytes:
    """The bytes of a file, damaged."""
    out = bytearray(was)
    for _ in range(rng.choice((1, 1, 2, 4))):
        act, at = rng.randrange(9), rng.randrange(len(out) + 1)
        nasty = rng.choice(NASTY).encode("utf-8", "surrogatepass")
        if act == 0:
            del out[at:]
        elif act == 1:
            out[at:at] = nasty
        elif act == 2:
            del out[at : at + rng.choice((1, 3, 40, 900))]
        elif act == 3 and out:
            out[min(at, len(out) - 1)] ^= 1 << rng.randrange(8)
        elif act == 4:
            piece = bytes(out[at : at + rng.choice((5, 60, 800))])
            out[at:at] = piece * rng.choice((1, 3, 40))
        elif act == 5:
            out = bytearray(_replaced(rng, bytes(out), nasty))
        elif act == 6:
            out[at:at] = rng.choice((b" ", b"\n", b",", b";", b'"', b"(", b"\t")) * rng.choice(
                (9, 650, 20_000)
            )
        elif act == 7:
            out = bytearray(rng.choice((b"\xef\xbb\xbf", b"\xff\xfe", b"\xfe\xff", b"sep=;\n"))) + out
        else:
            out = bytearray(
                bytes(out).decode("utf-8", "replace").encode(rng.choice(("utf-16", "cp1252")), "replace")
            )
    return bytes(out[:2_100_000])


def _replaced(rng: random.Random, was: bytes, nasty: bytes) -> bytes:
    """One word of a file replaced: what stands between quotes, commas or blanks."""
    cuts = [i for i, letter in enumerate(was) if letter in b'",;: \n']
    if len(cuts) < 2:
        return nasty
    at = rng.randrange(len(cuts) - 1)
    return was[: cuts[at] + 1] + nasty + was[cuts[at + 1] :]
