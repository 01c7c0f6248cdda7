"""Inputs that nobody would write: files that are right, spoilt a little, the same for the same seed."""

from __future__ import annotations

import random

WORDS = [
    b"nan", b"inf", b"-inf", b"1e400", b"-1", b"0", b"99999999999999999999", b"1e-320", b"None", b"true", b'""', b"()", b"[]", b"{}",
    b"(0, 0, 0)", b"(1, 2)", b"</>", b"<../..>", b"</W/Paint/finish.outputs:out>", b"@a.png@", b"@@", b"@a.<UDIM>.png@",
    b"@/dev/zero@", b"@../../../../etc@", b"[/x]", b"[bold]", b"\x1b[31m", b"\xff\xfe", b"\x00", b"\xc3", b"\xe2\x80\xae", b"'", b'"', b"\\",
    b"%s", b"a" * 3000, b"1" * 400, b"((((((((((", b"float3", b"token", b"asset", b"rel x = </W>", b".connect = </W/Paint/finish.outputs:out>",
    b"inherits = </W>", b"payload = @x.usda@", b"references = @scene.usda@", b"instanceable = true", b"timeSamples = {0: 1, 1: 2}",
]  # fmt: skip


def spoilt(data: bytes, r: random.Random, others: list[bytes]) -> bytes:
    """A file with one to eight changes in it."""
    out = bytearray(data)
    for _ in range(r.choice((1, 1, 2, 3, 5, 8))):
        out = bytearray(r.choice(CHANGES)(bytes(out), r, others))
        if len(out) > 2_000_000:
            break
    return bytes(out)


def _spot(data: bytes, r: random.Random) -> int:
    return r.randrange(len(data) + 1)


def _flip(data: bytes, r: random.Random, others: list[bytes]) -> bytes:
    if not data:
        return b"\xff"
    out = bytearray(data)
    out[r.randrange(len(out))] ^= 1 << r.randrange(8)
    return bytes(out)


def _cut(data: bytes, r: random.Random, others: list[bytes]) -> bytes:
    a = _spot(data, r)
    return data[:a] + data[a + r.choice((1, 3, 20, 200)) :]


def _end(data: bytes, r: random.Random, others: list[bytes]) -> bytes:
    return data[: _spot(data, r)]


def _word(data: bytes, r: random.Random, others: list[bytes]) -> bytes:
    a = _spot(data, r)
    return data[:a] + r.choice(WORDS) + data[a:]


def _value(data: bytes, r: random.Random, others: list[bytes]) -> bytes:
    """Another value behind an equals sign or a colon."""
    places = [n for n, byte in enumerate(data) if byte in b"=:"]
    if not places:
        return _word(data, r, others)
    a = r.choice(places) + 1
    b = data.find(b"\n", a)
    return data[:a] + b" " + r.choice(WORDS) + (data[b:] if b >= 0 else b"")


def _line(data: bytes, r: random.Random, others: list[bytes]) -> bytes:
    """Lines taken out, doubled, moved, or taken from another file."""
    lines = data.split(b"\n")
    a = r.randrange(len(lines))
    how = r.randrange(4)
    if how == 0:
        del lines[a]
    elif how == 1:
        lines[a:a] = [lines[a]] * r.choice((1, 1, 2, 40))
    elif how == 2:
        lines.insert(r.randrange(len(lines)), lines.pop(a))
    else:
        lines.insert(a, r.choice(r.choice(others).split(b"\n")))
    return b"\n".join(lines)


def _name(data: bytes, r: random.Random, others: list[bytes]) -> bytes:
    """One word of the file in place of another one."""
    words = data.replace(b'"', b" ").replace(b"<", b" ").replace(b">", b" ").split()
    if len(words) < 2:
        return data
    return data.replace(r.choice(words), r.choice(words), r.choice((1, 1, -1)))


CHANGES = (_flip, _cut, _end, _word, _word, _value, _value, _value, _line, _line, _name, _name)
