"""Edits of kits and players."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import TYPE_CHECKING

from deft_reach.core.document import Document, Plan
from deft_reach.core.document.plans import exchange_piece, strikes_on
from deft_reach.core.model.kit import Dimension, Kit, Reading, Zone, check_kit
from deft_reach.core.model.layouts import beside, exchanged, layout, new_piece, resized, usual_zone
from deft_reach.core.model.player import check_player
from deft_reach.core.model.setups import SETUPS

if TYPE_CHECKING:
    from deft_reach.core.session import Session


def _on_other_piece(document: Document, plan: Plan, kit: Kit, code: str, instead: str) -> Document:
    """The document with a plan's text and kept stickings rewritten; a text shared with other kits stays theirs."""
    text = exchange_piece(document.score(plan.pattern).text, kit, code, instead)
    rows = tuple(replace(c, text=exchange_piece(c.text, kit, code, instead)) for c in plan.candidates)
    changed = replace(plan, candidates=rows)
    if text == document.score(plan.pattern).text:
        return document.with_plan(changed)
    if any(other.pattern == plan.pattern and other.kit != kit.id for other in document.plans):
        own = replace(document.score(plan.pattern), id=document.free_id("pattern"), text=text)
        document = replace(document, patterns=(*document.patterns, own))
        return document.with_plan(replace(changed, pattern=own.id))
    return document.with_plan(changed).with_text(changed, text)


class KitCommands:
    """What can be done to the kit and the player in view."""

    def __init__(self, session: Session) -> None:
        self._session = session

    def move_piece(self, code: str, x: float, y: float, z: float | None = None) -> None:
        """Move a piece's strike centre, in whole millimetres. Raises KitError when it cannot stand there."""
        kit = self._session.kit
        piece = kit.piece(code)
        if piece is None:
            return
        moved = piece.moved(float(round(x)), float(round(y)), None if z is None else float(round(z)))
        kit = kit.with_piece(moved)
        check_kit(kit)
        self._session.apply(self._session.document.with_kit(kit), f"Move {piece.name}", f"move:{code}")

    def change_piece(self, code: str, label: str, merge: str | None = None, **fields: object) -> None:
        """Change fields of a piece. Raises KitError when it cannot be so."""
        piece = self._session.kit.piece(code)
        if piece is not None:
            kit = self._session.kit.with_piece(replace(piece, **fields))  # type: ignore[arg-type]
            check_kit(kit)
            self._session.apply(self._session.document.with_kit(kit), label, merge)

    def add_piece(self, kind: str) -> None:
        """Add a piece of a kind, in the usual size, where there is room for it, and select it."""
        piece = new_piece(self._session.kit, kind)
        kit = self._session.kit.with_piece(piece)
        check_kit(kit)
        self._session._piece = piece.code
        self._session.apply(self._session.document.with_kit(kit), f"Add {piece.name}")

    def add_second_pedal(self, text: str) -> None:
        """Add a second bass pedal, and write the plan in view for it; one step."""
        plan = self._session.plan
        if plan is not None:
            piece = new_piece(self._session.kit, "second-bass-pedal")
            kit = self._session.kit.with_piece(piece)
            check_kit(kit)
            self._session.apply(self._session.document.with_kit(kit).with_text(plan, text), f"Add {piece.name}")

    def duplicate_piece(self, code: str) -> None:
        """Add another piece like this one beside it. Pedals stay single."""
        piece = self._session.kit.piece(code)
        if piece is not None and not piece.is_pedal:
            twin = beside(self._session.kit, piece)
            self._session._piece = twin.code
            self._session.apply(
                self._session.document.with_kit(self._session.kit.with_piece(twin)), f"Duplicate {piece.name}"
            )

    def plans_with(self, code: str) -> tuple[Plan, ...]:
        """The plans on the kit in view that strike a piece."""
        kit = self._session.kit
        document = self._session.document
        rows = (plan for plan in document.plans if plan.kit == kit.id)
        return tuple(plan for plan in rows if strikes_on(document.score(plan.pattern).text, kit, code))

    def remove_piece(self, code: str, instead: str | None = None) -> None:
        """Take a piece away.

        Strokes on it go to another piece in every plan on this kit and in its kept stickings; without ``instead``
        they stay as written, and are said to be impossible.
        """
        kit, document = self._session.kit, self._session.document
        piece = kit.piece(code)
        if piece is None:
            return
        gone = replace(kit, pieces=tuple(p for p in kit if p.code != code))
        new = document.with_kit(gone)
        if instead is not None:
            for plan in (plan for plan in document.plans if plan.kit == kit.id):
                new = _on_other_piece(new, plan, kit, code, instead)
        self._session.apply(new, f"Remove {piece.name}")

    def change_player(self, label: str, merge: str | None = None, **fields: object) -> None:
        """Change measures of the player in view. Raises PlayerError when nobody can be so."""
        player = replace(self._session.player, **fields)  # type: ignore[arg-type]
        check_player(player)
        self._session.apply(self._session.document.with_player(player), label, merge)

    def set_readings(self, readings: tuple[Reading, ...], label: str) -> None:
        """Change the tape readings of the kit in view; its pieces stay where they are until they are stood up."""
        self._session.apply(self._session.document.with_kit(replace(self._session.kit, readings=readings)), label)

    def stand_up(self, kit: Kit) -> None:
        """Put the pieces of the kit in view where another kit has them."""
        own = self._session.kit
        for piece in kit:
            mine = own.piece(piece.code)
            if mine is not None:
                own = own.with_piece(mine.moved(piece.x, piece.y, piece.z))
        check_kit(own)
        self._session.apply(self._session.document.with_kit(own), "Positions from the tape measure")

    def mirror_kit(self) -> None:
        """Mirror the kit in view and the player's handedness with it."""
        document = self._session.document.with_kit(self._session.kit.mirror())
        self._session.apply(document.with_player(self._session.player.mirror()), "Mirror kit and player")

    def set_up(self, name: str) -> None:
        """Turn the kit in view into another school's, by a name of SETUPS. Raises SetUpError when it cannot be."""
        words, change = SETUPS[name]
        kit, player = change(self._session.kit, self._session.player)
        check_kit(kit)
        self._session.apply(self._session.document.with_kit(kit).with_player(player), f"Set-up: {words.lower()}")

    def exchange_piece(self, code: str, kind: str) -> None:
        """Put a piece of another kind where one stands; the strokes on it stay. Raises KitError."""
        piece = self._session.kit.piece(code)
        if piece is not None and piece.kind != kind:
            there = exchanged(self._session.kit, piece, kind)
            kit = self._session.kit.with_piece(there)
            check_kit(kit)
            self._session.apply(self._session.document.with_kit(kit), f"{piece.name} becomes {there.name}")

    def resize_piece(self, code: str, diameter: float, merge: str | None = None) -> None:
        """Give a piece another diameter (mm), its zones in proportion. Raises KitError."""
        piece = self._session.kit.piece(code)
        if piece is not None and diameter > 0:
            kit = self._session.kit.with_piece(resized(piece, diameter))
            check_kit(kit)
            self._session.apply(self._session.document.with_kit(kit), f"Size of {piece.name}", merge)

    def set_zone(self, code: str, zone: Zone, merge: str | None = None) -> None:
        """Add a zone to a piece or change the one of that name. Raises KitError."""
        piece = self._session.kit.piece(code)
        if piece is not None:
            if piece.zone(zone.name) is None:
                zones = (*piece.zones, zone)
            else:
                zones = tuple(zone if z.name == zone.name else z for z in piece.zones)
            self.change_piece(code, f"{piece.name}: {zone.name}", merge, zones=zones)

    def add_zone(self, code: str, name: str) -> None:
        """Give a piece a zone where such a zone usually is."""
        piece = self._session.kit.piece(code)
        if piece is not None and piece.zone(name) is None:
            self.set_zone(code, usual_zone(piece, name))

    def remove_zone(self, code: str, name: str) -> None:
        """Take a zone away. Strokes on it stay as written and are said to be impossible."""
        piece = self._session.kit.piece(code)
        if piece is not None and piece.zone(name) is not None:
            zones = tuple(zone for zone in piece.zones if zone.name != name)
            self.change_piece(code, f"{piece.name} without {name}", zones=zones)

    def space_pedals(self, code: str, apart: float, merge: str | None = None) -> None:
        """Move a pedal of the hi-hat foot so that it stands ``apart`` mm from the other. Raises KitError."""
        pair = {"hat-pedal": "second-bass-pedal", "second-bass-pedal": "hat-pedal"}
        piece = self._session.kit.piece(code)
        other = self._session.kit.of_kind(pair[piece.kind]) if piece is not None and piece.kind in pair else None
        if piece is None or other is None:
            return
        dx, dy = piece.x - other.x, piece.y - other.y
        flat = math.hypot(dx, dy) or 1.0
        reach = math.sqrt(max(apart**2 - (piece.z - other.z) ** 2, 0.0))
        x, y = other.x + dx / flat * reach, other.y + dy / flat * reach
        self.change_piece(code, f"Space of {piece.name}", merge, x=round(x, 1), y=round(y, 1))

    # --- measuring --------------------------------------------------------------------------------------------

    def keep_dimension(self, dimension: Dimension) -> None:
        """Keep a dimension line on the drawing of the kit in view."""
        kit = self._session.kit
        if dimension not in kit.dimensions:
            kit = replace(kit, dimensions=(*kit.dimensions, dimension))
            self._session.apply(self._session.document.with_kit(kit), "Keep dimension")

    def remove_dimension(self, dimension: Dimension) -> None:
        """Take a drawn dimension away from the kit in view."""
        kit = self._session.kit
        left = tuple(d for d in kit.dimensions if d != dimension)
        if left != kit.dimensions:
            self._session.apply(self._session.document.with_kit(replace(kit, dimensions=left)), "Remove dimension")

    def set_side(self, code: str, side: str) -> None:
        """Say on which side of the player a piece stands, ``left`` or ``right``: what a tape cannot tell."""
        kit = replace(self._session.kit, left=code if side == "left" else "", right=code if side == "right" else "")
        self._session.apply(self._session.document.with_kit(kit), f"{code} stands on the {side}")

    # --- several kits -----------------------------------------------------------------------------------------

    def add_kit(self, kit: Kit, label: str) -> None:
        """Add a kit under a free id and name, and play the plan in view on it. Raises KitError."""
        check_kit(kit)
        document = self._session.document
        ids = {k.id for k in document.kits}
        id = kit.id if kit.id and kit.id not in ids else document.free_id("kit")
        kit = replace(kit, id=id, name=document.free_kit_name(kit.name))
        document = document.with_kit(kit)
        plan = self._session.plan
        if plan is not None:
            document = document.with_plan(replace(plan, kit=id))
        self._session.apply(document, label)

    def duplicate_kit(self) -> None:
        """A copy of the kit in view, which the plan in view plays from now on."""
        kit = self._session.kit
        self.add_kit(replace(kit, id=""), f"Duplicate kit “{kit.name}”")

    def rename_kit(self, name: str, merge: str | None = None) -> None:
        self._session.apply(
            self._session.document.with_kit(replace(self._session.kit, name=name)), "Rename kit", merge
        )

    def remove_kit(self, instead: str) -> None:
        """Take the kit in view out of the document; its plans play the kit ``instead`` from then on."""
        gone = self._session.kit
        document = self._session.document
        if instead == gone.id or not any(k.id == instead for k in document.kits):
            return
        plans = tuple(replace(p, kit=instead) if p.kit == gone.id else p for p in document.plans)
        kits = tuple(k for k in document.kits if k.id != gone.id)
        songs = tuple(replace(s, kit=instead) if s.kit == gone.id else s for s in document.songs)
        self._session.apply(replace(document, plans=plans, kits=kits, songs=songs), f"Remove kit “{gone.name}”")

    def use_layout(self, name: str) -> None:
        """Play the plan in view on a shipped layout, which the document gets if it has none of that id."""
        kit = layout(name)
        document = self._session.document
        if not any(k.id == kit.id for k in document.kits):
            document = document.with_kit(kit)
        plan = self._session.plan
        if plan is not None:
            self._session.apply(document.with_plan(replace(plan, kit=kit.id)), f"Kit “{kit.name}”")
