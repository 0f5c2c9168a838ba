"""Documents (``*.reach``) and kits as JSON: one function each way, and clear words for what is wrong.

UTF-8 JSON with a version. A file of a newer minor version is read and keeps its unknown fields; one of a newer major
version is refused, because guessing would lose something.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable
from functools import cache
from importlib import resources
from itertools import chain
from typing import Any, Final, TypeVar

from deft_reach.core.document import FORMAT_VERSION, Document
from deft_reach.core.model.elements import Grid
from deft_reach.core.model.kit import Kit, KitError, check_kit
from deft_reach.core.model.piece_kinds import PIECE_KINDS
from deft_reach.core.model.player import Player, PlayerError, check_player
from deft_reach.core.notation.stroke_text import with_grid_written
from deft_reach.formats.reading import DocumentError, reader
from deft_reach.formats.record_text import object_text, record_rows, value_text
from deft_reach.formats.records import from_dict, to_dict
from deft_reach.formats.strict_json import read_json

T = TypeVar("T")
FORMAT: Final = "deft-reach"
KIT_FORMAT: Final = "deft-reach-kit"
#: Keywords of the schema that draft 7 calls otherwise.
_DRAFT_7: Final = {"dependentRequired": "dependencies"}
#: The minor version from which on a text that swings is in the value that swings.
FIRST_SWINGING_GRID: Final = 4
#: Larger files are refused unread: a document of a thousand plans is some two megabytes.
MAX_BYTES: Final = 32_000_000
#: So many different kits and players of commitments are remembered to be shared.
MOST_KNOWN: Final = 50


def schema() -> dict[str, Any]:
    """The published JSON Schema of a document, with every kind of piece there is."""
    path = resources.files("deft_reach.formats") / "schema" / "reach-1.schema.json"
    found: dict[str, Any] = json.loads(path.read_text(encoding="utf-8"))
    found["$defs"]["piece"]["properties"]["kind"]["enum"] = list(PIECE_KINDS)
    return found


def dump_document(document: Document) -> bytes:
    """A document as the bytes of its file. Raises DocumentError for more than could be read again."""
    return _write_json({"format": FORMAT}, document)


@reader
def load_document(data: bytes, *, validated: bool = False) -> Document:
    """The document in these bytes.

    ``validated`` says that these very bytes passed the schema before; the rest is checked all the same.

    Raises DocumentError saying where and what when they are not JSON, not a document, too new, against the schema,
    or hold kits, players or references that cannot be.
    """
    raw = read_json(data, MAX_BYTES)
    _check_format(raw, FORMAT, "a Deft Reach document")
    if not validated:
        _validate(raw)
    _bring_up_to_date(raw)
    # A file of before has no id: what is in it tells it apart, until it is saved with one.
    raw.setdefault("id", hashlib.sha256(data).hexdigest()[:32])
    # What an older version wrote is of this version from now on: it may get what that one did not know.
    raw["version"] = max(raw["version"], FORMAT_VERSION, key=_minor)
    _share(raw)
    try:
        document = from_dict(Document, {key: value for key, value in raw.items() if key != "format"}, {})
    except ValueError as error:
        raise DocumentError(str(error)) from None
    _check(document)
    return document


def _bring_up_to_date(raw: dict[str, Any]) -> None:
    """Let stroke texts of an older version mean what they did.

    Up to 1.3 a text that swings was in sixteenths until it set a grid; now it goes on in the value that swings.
    """
    if _minor(raw["version"]) >= FIRST_SWINGING_GRID:
        return
    plans = raw.get("plans", ())
    candidates = (row for plan in plans for row in plan.get("candidates", ()))
    for row in chain(raw.get("patterns", ()), candidates, raw.get("commitments", ())):
        if "swing" in row["text"]:
            row["text"] = with_grid_written(row["text"], Grid(16))


def _minor(version: str) -> int:
    return int(version.split(".")[1])


def _share(raw: dict[str, Any]) -> None:
    """Let commitments that freeze the same kit or player have it in common: a long record repeats a few of them."""
    for field, own in (("kit", "kits"), ("player", "players")):
        known: list[Any] = list(raw.get(own, ()))
        for commitment in raw.get("commitments", ()):
            mine = commitment.get(field)
            same = next((row for row in known if row == mine), None)
            if same is not None:
                commitment[field] = same
            elif len(known) < MOST_KNOWN:
                known.append(mine)


def dump_kit(kit: Kit) -> bytes:
    """A kit alone as the bytes of its file."""
    return _write_json({"format": KIT_FORMAT, "version": FORMAT_VERSION, "kit": kit})


@reader
def load_kit(data: bytes) -> Kit:
    """The kit in these bytes: a kit's own file, a bare kit object, or a document's first kit.

    Raises DocumentError for what is no kit.
    """
    raw: Any = read_json(data, MAX_BYTES)
    if raw.get("format") == FORMAT:
        document = load_document(data)
        if not document.kits:
            raise DocumentError("the document holds no kit")
        return document.kits[0]
    where = ""
    if raw.get("format") == KIT_FORMAT:
        _check_format(raw, KIT_FORMAT, "a kit")
        raw, where = raw.get("kit"), "kit"
    _validate(raw, "kit", where)
    kit = _record(Kit, raw, where)
    _check_kit(kit, where or "kit")
    return kit


def dump_player(player: Player) -> bytes:
    """A player alone as the bytes of a file that load_player reads."""
    return _write_json({"player": player})


def player_dict(player: Player) -> dict[str, Any]:
    """A player as plain values, for printing."""
    return to_dict(player)


@reader
def load_player(data: bytes) -> Player:
    """The player in these bytes: a bare player object, ``{"player": …}``, or a document's first player.

    Raises DocumentError for what is no player.
    """
    raw = read_json(data, MAX_BYTES)
    if raw.get("format") == FORMAT:
        document = load_document(data)
        if not document.players:
            raise DocumentError("the document holds no player")
        return document.players[0]
    where = ""
    if isinstance(raw.get("player"), dict):
        raw, where = raw["player"], "player"
    raw = {"id": "player", "name": "Player", **raw}
    _validate(raw, "player", where)
    player = _record(Player, raw, where)
    try:
        check_player(player)
    except PlayerError as error:
        raise DocumentError(str(error), where) from None
    return player


def kit_dict(kit: Kit) -> dict[str, Any]:
    """A kit as plain values, for printing."""
    return to_dict(kit)


def _record(kind: type[T], raw: Any, where: str) -> T:
    try:
        return from_dict(kind, raw)
    except ValueError as error:
        raise DocumentError(str(error), where) from None


def _write_json(head: dict[str, Any], record: Document | None = None) -> bytes:
    """The fields of the head, then those of a record."""
    rows = {name: value_text(value) for name, value in head.items()}
    if record is not None:
        rows |= record_rows(record)
    text = object_text(rows) + "\n"
    escaped = False
    try:
        found = text.encode()
    except UnicodeEncodeError:
        # Half a character, pasted from somewhere: written as an escape it survives.
        escaped = True
        found = _again(text, escaped, 1, None)
    if len(found) > MAX_BYTES:
        # Without the white space that is there for people.
        found = _again(text, escaped, None, (",", ":"))
    if len(found) > MAX_BYTES:
        raise DocumentError(
            f"the document has {len(found):,} bytes; at most {MAX_BYTES:,} fit in a file: move some plans to another"
        )
    return found


def _again(text: str, escaped: bool, indent: int | None, separators: tuple[str, str] | None) -> bytes:
    """The same JSON in another form."""
    data = json.loads(text)
    return (json.dumps(data, ensure_ascii=escaped, indent=indent, separators=separators) + "\n").encode()


def _check_format(raw: dict[str, Any], wanted: str, what: str) -> None:
    if raw.get("format") != wanted:
        raise DocumentError(f'this is not {what}: expected "format": "{wanted}"', "format")
    version = raw.get("version")
    parts = version.split(".") if isinstance(version, str) else []
    if len(parts) != 2 or not all(part.isdigit() and len(part) < 6 for part in parts):
        raise DocumentError(f'expected a version such as "{FORMAT_VERSION}"', "version")
    major = int(FORMAT_VERSION.split(".")[0])
    if int(parts[0]) != major:
        raise DocumentError(
            f"the file is of version {version}, this app reads versions {major}.x; "
            "open it with a newer Deft Reach. Nothing was changed",
            "version",
        )


def _validate(raw: Any, kind: str = "", where: str = "") -> None:
    """Hold a value against the schema, or that of its records of one ``kind``; stops at the first error."""
    from fastjsonschema import JsonSchemaValueException  # late, as below

    try:
        _validator(kind, tuple(PIECE_KINDS))(raw)
    except JsonSchemaValueException as error:
        path = where
        for part in error.path[1:]:
            path += f"[{part}]" if part.isdigit() else f".{part}" if path else part
        if error.rule == "required":
            lacking = [name for name in error.rule_definition if name not in error.value]
            raise DocumentError(f"lacks {' and '.join(map(repr, lacking))}", path) from None
        words = error.message.removeprefix(error.name).strip()
        raise DocumentError(f"{words[:200]}; found {_short(error.value)}", path) from None


def _as_draft_7(rules: Any) -> Any:
    """A schema in the words of the draft that the validator knows; the others it would pass over in silence."""
    if isinstance(rules, list):
        return [_as_draft_7(item) for item in rules]
    if not isinstance(rules, dict):
        return rules
    return {_DRAFT_7.get(key, key): _as_draft_7(value) for key, value in rules.items()}


@cache
def _validator(kind: str, pieces: tuple[str, ...]) -> Callable[[Any], Any]:
    """What holds a value against the schema, which knows these kinds of piece."""
    import fastjsonschema  # late: only files need it, and it takes a while to make a validator

    rules = _as_draft_7({key: value for key, value in schema().items() if key != "$schema"})
    if kind:
        rules = {"$ref": f"#/$defs/{kind}", "$defs": rules["$defs"]}
    made: Callable[[Any], Any] = fastjsonschema.compile(rules, use_default=False)
    return made


def _short(value: Any) -> str:
    """A value as a message shows it."""
    if isinstance(value, (dict, list)):
        return f"{'an object' if isinstance(value, dict) else 'a list'} of {len(value):,}"
    if isinstance(value, int) and abs(value) > 10**20:
        return "a number too large"
    text = repr(value) if isinstance(value, str) and len(value) < 200 else json.dumps(value)
    return text if len(text) <= 60 else f"{text[:60]} …"


def _check_kit(kit: Kit, where: str) -> None:
    try:
        check_kit(kit)
    except KitError as error:
        raise DocumentError(str(error), where) from None


def _check(document: Document) -> None:
    for name in ("players", "kits", "patterns", "plans", "songs", "commitments"):
        seen: set[str] = set()
        for i, row in enumerate(getattr(document, name)):
            if row.id in seen:
                raise DocumentError(f"the id '{row.id}' is used twice", f"{name}[{i}].id")
            seen.add(row.id)
    for i, kit in enumerate(document.kits):
        _check_kit(kit, f"kits[{i}]")
    for i, player in enumerate(document.players):
        try:
            check_player(player)
        except PlayerError as error:
            raise DocumentError(str(error), f"players[{i}]") from None
    ids = {name: {row.id for row in getattr(document, name)} for name in ("players", "kits", "patterns", "plans")}
    for i, plan in enumerate(document.plans):
        for field, rows in (("pattern", "patterns"), ("kit", "kits"), ("player", "players")):
            value = getattr(plan, field)
            if value not in ids[rows]:
                raise DocumentError(f"there is no {field} with the id '{value}'", f"plans[{i}].{field}")
    for i, song in enumerate(document.songs):
        if song.kit is not None and song.kit not in ids["kits"]:
            raise DocumentError(f"there is no kit with the id '{song.kit}'", f"songs[{i}].kit")
        for j, section in enumerate(song.sections):
            if section.plan not in ids["plans"]:
                raise DocumentError(
                    f"there is no plan with the id '{section.plan}'", f"songs[{i}].sections[{j}].plan"
                )
