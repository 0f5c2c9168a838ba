"""Mutations of files: of their bytes, and of what the bytes mean, so that they reach past the first check.

Every mutation takes a ``random.Random``, so that a run can be repeated from its seed.
"""

from __future__ import annotations

import copy
import csv
import io
import json
import struct
import zipfile
from collections.abc import Callable
from random import Random
from typing import Any
from xml.etree import ElementTree as Tree

Mutation = Callable[[Random, bytes], bytes]

NUMBERS = (
    0, -0.0, -1, 1, 2, 0.1, 64, 127, 128, 255, 256, 65_535, 10**6, 2**31, 2**32, 2**63, 10**30, 10**400, 1e-300,
    1e308, -1e308, 0.30000000000000004,
)  # fmt: skip
TEXTS = (
    "", " ", "0", "-1", "1e999", "1e99999999", "NaN", "inf", "1/0", "٣", "null", "\x00", "\ud800", "\u202e",
    "\ufeff", "=1+1", "<b>x</b>", "<img src='/dev/zero'>", "R", "K", "sn", "/16 R L R L |", "?@sn",
    "(5:4 R L R L R)", "A" * 300, "9" * 400, "../../etc/passwd", "2026-03-01T12:00:00+00:00",
    "0001-01-01T00:00:00+14:00", "9999-12-31T23:59:59-14:00", '"', "'", ",", ";", "\t", "\r", "\n", "%s%n", "é",
    "𝄞",
)  # fmt: skip


# --- bytes ----------------------------------------------------------------------------------------------------------


def mutate_bytes(chance: Random, data: bytes) -> bytes:
    """Some bytes turned, cut out, doubled, or put in."""
    out = bytearray(data)
    for _ in range(chance.choice((1, 1, 2, 4, 16))):
        at = chance.randrange(len(out) + 1)
        size = chance.choice((1, 1, 2, 4, 8, 64, 1024))
        kind = chance.randrange(6)
        if kind == 0 and out:
            at = min(at, len(out) - 1)
            out[at] ^= 1 << chance.randrange(8)
        elif kind == 1 and out:
            out[min(at, len(out) - 1)] = chance.choice((0, 1, 0x7F, 0x80, 0xFF, chance.randrange(256)))
        elif kind == 2:
            del out[at : at + size]
        elif kind == 3:
            out[at:at] = out[at : at + size] * chance.choice((1, 2, 20))
        elif kind == 4:
            out[at:at] = chance.choice(TEXTS).encode("utf-8", "surrogatepass")
        elif chance.random() < 0.2:
            del out[at:]
        else:
            out[at:at] = chance.randbytes(size)
    return bytes(out)


# --- JSON -----------------------------------------------------------------------------------------------------------


def _places(value: Any, path: tuple[Any, ...] = ()) -> list[tuple[Any, ...]]:
    found = [path] if path else []
    inside = value.items() if isinstance(value, dict) else enumerate(value) if isinstance(value, list) else ()
    for key, item in inside:
        found += _places(item, (*path, key))
    return found


def _odd(chance: Random, value: Any) -> Any:
    kind = chance.randrange(8)
    if kind <= 2 and isinstance(value, (int, float)):
        return chance.choice((*NUMBERS, value * 1000, -value, value + 1))
    if kind <= 3 and isinstance(value, str):
        return chance.choice((*TEXTS, value + value, value[: len(value) // 2], value + chance.choice(TEXTS)))
    deep: Any = 0
    for _ in range(chance.choice((2, 20, 100))):
        deep = [deep] if chance.random() < 0.5 else {"a": deep}
    return chance.choice(
        (None, True, [], {}, [value], {"a": value}, deep, chance.choice(NUMBERS), chance.choice(TEXTS))
    )


def mutate_json(chance: Random, data: bytes) -> bytes:
    """Values exchanged for odd ones, fields left out, doubled, renamed, lists grown."""
    try:
        return _mutate_json(chance, json.loads(data))
    except (ValueError, RecursionError):
        return mutate_bytes(chance, data)


def _mutate_json(chance: Random, raw: Any) -> bytes:
    for _ in range(chance.choice((1, 1, 1, 2, 5))):
        places = _places(raw)
        if not places:
            break
        *most, last = chance.choice(places)
        inside = raw
        for key in most:
            inside = inside[key]
        value = inside[last]
        kind = chance.randrange(10)
        if kind == 0:
            del inside[last]
        elif kind == 1 and isinstance(inside, list):
            plain = isinstance(value, (int, float, str))
            inside[last:last] = [copy.deepcopy(value)] * chance.choice((1, 3, 50, 2000 if plain else 100))
        elif kind == 2 and isinstance(inside, dict):
            inside[chance.choice(TEXTS)] = value
        elif kind == 3 and isinstance(value, list):
            chance.shuffle(value)
        elif kind == 4:
            other = chance.choice(places)
            source = raw
            for key in other:
                source = source[key] if isinstance(source, (dict, list)) and _has(source, key) else None
            inside[last] = copy.deepcopy(source)
        else:
            inside[last] = _odd(chance, value)
    text = json.dumps(raw, ensure_ascii=chance.random() < 0.5)
    if chance.random() < 0.1:
        text = text.replace(": ", f": {chance.choice(('NaN', 'Infinity', '1e999', '-', '[' * 5000, '9' * 5000))} ", 1)
    return text.encode("utf-8", "surrogatepass")


def _has(source: Any, key: Any) -> bool:
    return key in source if isinstance(source, dict) else isinstance(key, int) and key < len(source)


# --- tables ---------------------------------------------------------------------------------------------------------


def mutate_table(chance: Random, data: bytes) -> bytes:
    """Cells exchanged, columns and rows left out, doubled or moved, other marks and ends of lines."""
    rows = list(csv.reader(io.StringIO(data.decode("utf-8", "replace"))))
    for _ in range(chance.choice((1, 1, 2, 5))):
        k = chance.randrange(len(rows))
        kind = chance.randrange(7)
        if kind <= 2 and rows[k]:
            rows[k][chance.randrange(len(rows[k]))] = chance.choice((*TEXTS, *map(_digits, NUMBERS)))
        elif kind == 3 and rows[k]:
            del rows[k][chance.randrange(len(rows[k]))]
        elif kind == 4:
            rows[k:k] = [list(rows[k])] * chance.choice((1, 3, 500))
        elif kind == 5 and len(rows) > 1:
            del rows[k]
        else:
            chance.shuffle(rows[k])
        if not rows:
            return b""
    out = io.StringIO()
    ends = chance.choice(("\n", "\n", "\r\n", "\r"))
    csv.writer(out, lineterminator=ends, delimiter=chance.choice(",,,;\t")).writerows(rows)
    return out.getvalue().encode("utf-8", "surrogatepass")


def _digits(number: float) -> str:
    return f"{number:g}" if isinstance(number, float) else "1" + "0" * (len(hex(number)) * 6 // 5)


# --- XML ------------------------------------------------------------------------------------------------------------


def mutate_xml(chance: Random, data: bytes) -> bytes:
    """Elements left out, doubled, moved, nested; texts and attributes exchanged."""
    try:
        root = Tree.fromstring(data)
    except Tree.ParseError:
        return mutate_bytes(chance, data)
    for _ in range(chance.choice((1, 1, 2, 6))):
        parents = [element for element in root.iter() if len(element)]
        if not parents:
            break
        parent = chance.choice(parents)
        k = chance.randrange(len(parent))
        child = parent[k]
        kind = chance.randrange(8)
        if kind == 0:
            parent.remove(child)
        elif kind == 1:
            for _ in range(chance.choice((1, 3, 300))):
                parent.insert(k, copy.deepcopy(child))
        elif kind == 2:
            chance.choice(parents).append(copy.deepcopy(child))
        elif kind == 3:
            for _ in range(chance.choice((2, 30, 100))):
                wrapped = Tree.Element(child.tag)
                wrapped.append(child)
                child = wrapped
            parent[k] = child
        elif kind == 4 and child.attrib:
            child.set(chance.choice(sorted(child.attrib)), _writable(chance.choice(TEXTS)))
        elif kind == 5:
            child.tag = chance.choice([element.tag for element in root.iter()])
        else:
            leaf = chance.choice([element for element in root.iter() if not len(element)] or [child])
            leaf.text = _writable(chance.choice((*TEXTS, *map(_digits, NUMBERS))))
    out: bytes = Tree.tostring(root, encoding=chance.choice(("utf-8", "utf-8", "utf-16", "latin-1")))
    if chance.random() < 0.05:
        head = b'<!DOCTYPE a [<!ENTITY e "' + b"x" * 100 + b'"><!ENTITY f "&e;&e;&e;">]>'
        out = head + out.replace(b"</", b"&f;</", 3)
    return out


def _writable(text: str) -> str:
    """What XML can hold at all; the rest is for the bytes."""
    return "".join(c for c in text if c in "\t\n\r" or " " <= c < "\ud800" or "\ue000" <= c < "\ufffe")


def mutate_archive(chance: Random, data: bytes) -> bytes:
    """What is inside mutated, or the archive itself."""
    if chance.random() < 0.4:
        return mutate_bytes(chance, data)
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        name = next(n for n in archive.namelist() if n.endswith(".xml"))
        inside = mutate_xml(chance, archive.read(name))
    out = io.BytesIO()
    methods = (zipfile.ZIP_DEFLATED, zipfile.ZIP_DEFLATED, zipfile.ZIP_STORED, zipfile.ZIP_BZIP2, zipfile.ZIP_LZMA)
    with zipfile.ZipFile(out, "w", chance.choice(methods)) as archive:
        names = sorted({name, "META-INF/container.xml", "../x.xml", "a/b.musicxml"})
        for other in chance.sample(names, chance.choice((1, 1, 2))):
            archive.writestr(other, inside)
    return mutate_bytes(chance, out.getvalue()) if chance.random() < 0.3 else out.getvalue()


# --- MIDI -----------------------------------------------------------------------------------------------------------


def mutate_midi(chance: Random, data: bytes) -> bytes:
    """Lengths, counts and times exchanged, tracks doubled, events put in; lengths made right again, or not."""
    out = bytearray(data)
    for _ in range(chance.choice((1, 1, 2, 4))):
        kind = chance.randrange(7)
        tracks = [k for k in range(len(out) - 8) if out[k : k + 4] == b"MTrk"]
        if kind == 0 and len(out) >= 14:
            value = chance.choice((0, 1, 2, 96, 480, 0x7FFF, 0x8000, 0xE728, 0xFFFF))
            struct.pack_into(">H", out, chance.choice((8, 10, 12)), value)
        elif kind == 1 and tracks:
            struct.pack_into(">I", out, chance.choice(tracks) + 4, chance.choice((0, 1, 2**31, 2**32 - 1, len(out))))
        elif kind == 2 and tracks:
            k = chance.choice(tracks)
            out += out[k:] * chance.choice((1, 2, 10))
        elif tracks:
            k = chance.choice(tracks)
            at = chance.randrange(k + 8, len(out) + 1)
            event = chance.choice((
                b"\x00\x99\x26\x64", b"\x8f\xff\xff\x7f\x99\x26\x64", b"\xff\xff\xff\x7f\x99\x26\x64",
                b"\x00\xff\x51\x03\x00\x00\x00", b"\x00\xff\x51\x00", b"\x00\xff\x58\x04\x00\xff\x00\x00",
                b"\x00\xff\x58\x04\x03\x1f\x18\x08", b"\x00\xff\x01\xff\xff\xff\x7f", b"\x00\xff\x03\x02\xff\xfe",
                b"\x00\xf0\xff\xff\x7f", b"\x00\xff\x2f\x00", b"\x00\xf7\x00", b"\x00\x99",
                b"\x00\xff\x54\x05\xff\xff\xff\xff\xff", b"\x00\xff\x59\x02\x7f\x7f", b"\x00\x89\x26\x00" * 50,
                b"\x00\x99\x23\x7f" * 200,
            ))  # fmt: skip
            out[at:at] = event
            if chance.random() < 0.7:
                ends = [*[t for t in tracks if t > k], len(out) - len(event)]
                struct.pack_into(">I", out, k + 4, max(0, ends[0] + len(event) - k - 8))
        else:
            return mutate_bytes(chance, bytes(out))
    return bytes(out)


# --- stroke text ----------------------------------------------------------------------------------------------------

WORDS = (
    "R", "L", "K", "J", "H", "?", "-", "=", "|", "(", ")", "/16", "/8", "/8t", "/4", "/16:5:4", "/0", "/128", "/1",
    "/999", "[", "]", "{", "}", "*", "x4", "swing 66 /8", "swing 0 /8", "swing 99 /16", "meter 7/8", "meter 0/4",
    "meter 64/64", "meter 3/5", "tempo 120", "tempo 0", "tempo 1e99", "@sn", "R@hh>", "fR@t1", "dL~", "uR.", "R+K",
    "R+L+K+H", "R@sn+L@hh+?@c1", "#", "# x\n", "(5:4 R L R L R)", "R^", "Ro", "Rx", "R@nothing", "\x00", "R" * 300,
    "+" * 50, "(" * 200, "/" * 50, "|" * 100,
)  # fmt: skip


def mutate_text(chance: Random, data: bytes) -> bytes:
    """Words put in, left out, doubled and moved."""
    words = data.decode("utf-8", "replace").split(" ")
    for _ in range(chance.choice((1, 2, 5, 20))):
        at = chance.randrange(len(words) + 1)
        kind = chance.randrange(4)
        if kind == 0 and words:
            del words[at : at + chance.choice((1, 3))]
        elif kind == 1:
            words[at:at] = words[at : at + 8] * chance.choice((1, 2, 40))
        else:
            words.insert(at, chance.choice((*WORDS, *TEXTS)) if kind == 2 else chance.choice(WORDS))
    return " ".join(words).encode("utf-8", "surrogatepass")
