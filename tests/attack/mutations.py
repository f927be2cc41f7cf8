"""Seeded damage to files: bytes, numbers, words, structure; zip files are damaged inside too."""

from __future__ import annotations

import copy
import io
import json
import random
import re
import zipfile
import zlib
from collections.abc import Iterator
from typing import Any

_TOKENS = (
    b"\x00", b"\xff\xfe", b"-1", b"1e999", b"NaN", b"99999999999999999999", b"null", b"[]", b"{}", b'"', b",", b"..",
    b"\xed\xa0\x80", b"<", b"&amp;", b"<!DOCTYPE x [<!ENTITY a 'b'>]>", b"=1+1", "＝".encode(), b"\r\n", b"[[[[[[[[",
)  # fmt: skip


_VALUES: tuple[Any, ...] = (
    None, True, 0, 1, 2, 3, 4, 12, -1, 0.5, 360, 20_000, 1e300, "", "x", "harbour-blue", "rows", "ball", "\u202e",
    "\x00", "a" * 500, [], {}, [[]], [1, 2], ["sail-white"], {"kind": "rows"},
)  # fmt: skip


def damaged(data: bytes, rng: random.Random) -> bytes:
    """The bytes of a file with some damage."""
    if data[:2] == b"PK" and rng.random() < 0.75:
        return _damaged_zip(data, rng)
    for _ in range(rng.choice((1, 1, 1, 2, 4, 16))):
        data = _damaged_once(data, rng)
    return data


def _damaged_once(data: bytes, rng: random.Random) -> bytes:
    at, length = rng.randrange(len(data) + 1), rng.choice((1, 1, 2, 8, 64, 1024))
    match rng.randrange(9):
        case 0:
            return data[:at]
        case 1:
            return data[:at] + data[at + length :]
        case 2:
            return data[:at] + rng.randbytes(length) + data[at + length :]
        case 3:
            return data[:at] + rng.choice(_TOKENS) + data[at:]
        case 4:
            other = rng.randrange(len(data) + 1)
            return data[:at] + data[other : other + length] + data[at:]
        case 5:
            flipped = bytearray(data)
            for _ in range(min(length, 8)):
                if flipped:
                    flipped[rng.randrange(len(flipped))] ^= 1 << rng.randrange(8)
            return bytes(flipped)
        case 6:
            return _with_other(rb"-?\d+(?:\.\d+)?", data, rng)
        case 7:
            return _with_other(rb"[A-Za-z_]{3,}", data, rng)
        case _:
            return data[:at] + data[at : at + length] * rng.choice((2, 50, 2000)) + data[at + length :]


def _with_other(pattern: bytes, data: bytes, rng: random.Random) -> bytes:
    """One number or word in place of another, or of something odd."""
    found = list(re.finditer(pattern, data))
    if not found:
        return data
    spot, other = rng.choice(found), rng.choice((*_TOKENS, rng.choice(found)[0], rng.choice(found)[0]))
    return data[: spot.start()] + other + data[spot.end() :]


def _with_other_value(data: bytes, rng: random.Random) -> bytes:
    """JSON in which one value is another, gone, or there twice: what a careless program would write."""
    try:
        tree = json.loads(data)
    except (ValueError, RecursionError):
        return data
    spots = list(_spots(tree))
    if not spots:
        return data
    holder, at = rng.choice(spots)
    match rng.randrange(6):
        case 0:
            del holder[at]
        case 1 if isinstance(holder, list):
            holder.insert(at, holder[at])
        case 2:
            other, place = rng.choice(spots)
            holder[at] = copy.deepcopy(other[place])
        case 3 if isinstance(holder[at], int | float):
            holder[at] = holder[at] * rng.choice((0, -1, 0.5, 2, 10, 1000))
        case _:
            holder[at] = rng.choice(_VALUES)
    return json.dumps(tree).encode("utf-8", "surrogatepass")


def _spots(tree: Any) -> Iterator[tuple[Any, Any]]:
    """Every value in a tree, as what holds it and its key or index."""
    inner = tree.items() if isinstance(tree, dict) else enumerate(tree) if isinstance(tree, list) else ()
    for at, value in list(inner):
        yield tree, at
        yield from _spots(value)


def _damaged_zip(data: bytes, rng: random.Random) -> bytes:
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        parts = {name: archive.read(name) for name in archive.namelist()}
    name = rng.choice(list(parts))
    for _ in range(rng.choice((1, 1, 2, 8))):
        as_json = name.endswith(".json") and rng.random() < 0.8
        parts[name] = _with_other_value(parts[name], rng) if as_json else _damaged_once(parts[name], rng)
    out = io.BytesIO()
    method = rng.choice((zipfile.ZIP_STORED, zipfile.ZIP_DEFLATED, zipfile.ZIP_DEFLATED, zipfile.ZIP_LZMA))
    with zipfile.ZipFile(out, "w", method) as archive:
        for part, content in parts.items():
            archive.writestr(part + rng.choice(("",) * 20 + ("\u202e", "/../x")), content)
    return out.getvalue()


def seeded(kind: str, case: int) -> random.Random:
    """The same damage for the same kind of file and case, whichever cases run beside it."""
    return random.Random(zlib.crc32(kind.encode()) * 1_000_003 + case)
