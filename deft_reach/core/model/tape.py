"""Positions from a tape measure: any distances a player can take, in any order, as many or as few as there are.

The positions are those that fit the distances best (weighted least squares). Distances alone cannot say which way the
kit faces nor which side is left, so a base kit settles both; a very weak pull towards it also holds whatever the
distances leave open.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import combinations
from typing import Final, NamedTuple

import numpy as np
from numpy.typing import NDArray

from deft_reach.core.model.kit import FLOOR, SEAT, Kit, KitError, Reading, check_kit
from deft_reach.core.model.message import Length, Message, message, outside
from deft_reach.core.model.player import Player

Floats = NDArray[np.float64]

#: A careful reading is off by about so much: some millimetres and a part of the length. Common practice.
READING_MM: Final = 5.0
READING_PART: Final = 0.004
#: How weakly the base kit holds what the distances leave open (mm).
BASE_PULL_MM: Final = 3000.0
#: A residual this many times what is expected of it points at a misreading.
SUSPICIOUS: Final = 3.5
#: What no tape measures better than (mm).
FINEST_MM: Final = 0.1
#: So many pieces are placed by one set of distances; no drummer has as many.
MOST_PIECES: Final = 40
#: The search for positions has so many starts, and is stopped after so many steps from each: distances that a kit can
#: have need some twenty, what no kit can have may go on for ever. Of more readings than MANY fewer starts will do.
STARTS: Final = 8
MOST_STEPS: Final = 80
MANY: Final = 300


class TapeError(ValueError):
    """Distances that cannot be used; ``row`` is the number of the one that is to blame, from 0."""

    def __init__(self, message: str | Message, row: int | None = None) -> None:
        super().__init__(message)
        self.row = row


def weight(reading: Reading) -> float:
    """One over how far off a reading is expected to be (mm)."""
    return 1.0 / (reading.sigma or READING_MM + READING_PART * reading.mm)


class Residual(NamedTuple):
    """A reading against the solution: ``residual`` is measured minus solved, mm; ``score`` in its own uncertainty.

    ``by_others`` is what the other readings alone would make it, which a misreading does not pull along.
    """

    reading: Reading
    solved: float
    residual: float
    score: float
    by_others: float
    suspect: bool
    #: Whether other readings say anything about it; one that none checks always fits, and proves nothing.
    checked: bool = True


@dataclass(frozen=True)
class Measured:
    """What a set of distances gives.

    ``undetermined`` pieces could stand elsewhere and fit as well; ``uncertainty`` is each piece's standard deviation
    in mm; ``suggestion`` the one further reading that would help most; ``contradictions`` readings that no kit can
    have, in words. ``turned`` says that the side had to be exchanged.
    """

    kit: Kit
    residuals: tuple[Residual, ...]
    undetermined: tuple[str, ...]
    uncertainty: dict[str, float]
    suggestion: tuple[str, str] | None
    contradictions: tuple[Message, ...]
    rms_mm: float
    turned: bool

    @property
    def suspects(self) -> tuple[Residual, ...]:
        """The likeliest misreading, if there is any: the next shows once this one is put right."""
        return tuple(r for r in self.residuals if r.suspect)

    @property
    def fits(self) -> bool:
        return not self.contradictions and not self.suspects


def measure(
    sheet: Sequence[Reading], base: Kit, player: Player, left: str | None = None, right: str | None = None
) -> Measured:
    """The base kit with its pieces where the distances put them.

    ``left`` names a piece that stands to the player's left, ``right`` one to the right, which no distance can say;
    without them the base kit's own ``left`` and ``right`` hold, and else its own sides. Raises
    TapeError for readings that make no sense on their own or name pieces the base kit lacks.
    """
    readings = _check(sheet, base)
    for code, side in ((left, "left"), (right, "right")):
        if code is not None and base.piece(code) is None:
            raise TapeError(f"the kit '{base.name}' has no piece '{code}' to stand on the {side}")
    if left is None and right is None:
        left = base.left if base.left in base else None
        right = base.right if base.right in base else None
    problem = _Problem(readings, base, player)
    solution = problem.solve()
    places = problem.places(solution)
    turned = False
    on_wrong_side = (left is not None and left in places and places[left][0] > 0) or (
        right is not None and right in places and places[right][0] < 0
    )
    if on_wrong_side:
        places = {code: (-x, y, z) for code, (x, y, z) in places.items()}
        turned = True
    kit = base
    for code, (x, y, z) in places.items():
        piece = base.piece(code)
        assert piece is not None
        kit = kit.with_piece(piece.moved(round(x, 1), round(y, 1), round(z, 1)))
    try:
        check_kit(kit)
    except KitError as error:
        raise TapeError(f"no kit has such distances: {error}; look for a misreading") from None
    residuals = problem.residuals(solution)
    return Measured(
        kit,
        residuals,
        problem.undetermined(solution),
        problem.uncertainty(solution),
        problem.suggestion(solution),
        tuple(contradictions(readings)),
        math.sqrt(sum(r.residual**2 for r in residuals) / len(residuals)),
        turned,
    )


def contradictions(distances: Sequence[Reading]) -> list[Message]:
    """Readings that no kit can have, in words: broken triangles, and heights further apart than the pieces."""
    length = {frozenset((d.a, d.b)): d for d in distances if d.b != FLOOR}
    height = {d.a: d for d in distances if d.b == FLOOR}
    names = sorted({name for pair in length for name in pair})
    found = []
    for trio in combinations(names, 3):
        sides = [length.get(frozenset(pair)) for pair in combinations(trio, 2)]
        if any(side is None for side in sides):
            continue
        longest, *others = sorted((s for s in sides if s is not None), key=lambda d: -d.mm)
        slack = 3 * math.sqrt(sum((1 / weight(s)) ** 2 for s in (longest, *others)))
        short = others[0].mm + others[1].mm
        if longest.mm > short + slack:
            found.append(
                message(
                    "{longest} is {mm}, but by way of the third point it is only {short} ({one} and {other})",
                    longest=longest.name, mm=Length(longest.mm), short=Length(short), one=others[0].name,
                    other=others[1].name,
                )
            )  # fmt: skip
    for pair, d in length.items():
        ends = [height.get(name) for name in pair]
        if ends[0] is None or ends[1] is None:
            continue
        rise = abs(ends[0].mm - ends[1].mm)
        slack = 3 * math.sqrt(sum((1 / weight(s)) ** 2 for s in (ends[0], ends[1], d)))
        if rise > d.mm + slack:
            far, rises = Length(d.mm), Length(rise)
            found.append(message("{d} is {far}, but their heights differ by {rises}", d=d.name, far=far, rises=rises))
    return found


def _check(distances: Sequence[Reading], base: Kit) -> list[Reading]:
    if not distances:
        raise TapeError("there are no distances")
    seen: dict[frozenset[str], int] = {}
    readings = []
    for row, d in enumerate(distances):
        a, b = (d.b, d.a) if d.a in (FLOOR, SEAT) and d.b != FLOOR else (d.a, d.b)
        if not (math.isfinite(d.mm) and 0 < d.mm <= 5000):
            template = "{pair} is {mm:g}; expected more than 0 and at most {most}"
            raise TapeError(message(template, pair=d.name, mm=Length(d.mm), most=Length(5000)), row)
        if d.sigma is not None and not (math.isfinite(d.sigma) and FINEST_MM <= d.sigma <= 1000):
            raise TapeError(outside(f"the uncertainty of {d.name}", d.sigma, FINEST_MM, 1000), row)
        if a == b:
            raise TapeError(f"'{a}' is measured against itself", row)
        for name in (a, b):
            if name not in (SEAT, FLOOR) and base.piece(name) is None:
                codes = ", ".join(piece.code for piece in base)
                raise TapeError(f"there is no piece '{name}'; there are {codes}, and seat and floor", row)
        key = frozenset((a, b))
        if key in seen:
            raise TapeError(f"{d.name} is measured twice; keep one reading, or their mean", row)
        seen[key] = row
        readings.append(Reading(a, b, d.mm, d.sigma))
    pieces = {name for d in readings for name in (d.a, d.b)} - {SEAT, FLOOR}
    if len(pieces) > MOST_PIECES:
        raise TapeError(f"the distances are of {len(pieces)} pieces; at most {MOST_PIECES} are placed at once")
    return readings


class _Problem:
    """The least-squares problem: unknown coordinates, rows for readings, and the base kit's weak pull."""

    def __init__(self, readings: list[Reading], base: Kit, player: Player) -> None:
        self.readings = [d for d in readings if not (d.a == SEAT and d.b == FLOOR)]
        seat = next((d.mm for d in readings if d.a == SEAT and d.b == FLOOR), player.seat_height_mm)
        if not self.readings:
            raise TapeError("only the seat is measured; measure the pieces as well")
        self.seat = np.array([0.0, 0.0, seat])
        named = {name for d in self.readings for name in (d.a, d.b)} - {SEAT, FLOOR}
        self.codes = [piece.code for piece in base if piece.code in named]
        self.at = {code: k for k, code in enumerate(self.codes)}
        self.base = np.array([(p.x, p.y, p.z) for p in base if p.code in named], dtype=float)
        self.weights = np.array([weight(d) for d in self.readings])
        self.lengths = np.array([d.mm for d in self.readings])
        # The seat stands behind the pieces; a height is measured straight down.
        places = {**self.at, SEAT: len(self.codes), FLOOR: len(self.codes)}
        self.ends = np.array([(places[d.a], places[d.b]) for d in self.readings]).T
        self.to_floor = np.array([d.b == FLOOR for d in self.readings])
        self._held: int | None = None

    def point(self, places: Floats, name: str) -> Floats:
        return self.seat if name == SEAT else np.asarray(places[self.at[name]], dtype=float)

    def row(self, places: Floats, a: str, b: str) -> tuple[float, Floats]:
        """A reading's length at these places, and its gradient over all coordinates."""
        gradient = np.zeros_like(places)
        if b == FLOOR:
            gradient[self.at[a], 2] = 1.0
            return float(places[self.at[a], 2]), gradient.ravel()
        offset = self.point(places, a) - self.point(places, b)
        length = max(float(np.sqrt(offset @ offset)), 1e-9)
        if a != SEAT:
            gradient[self.at[a]] += offset / length
        if b != SEAT:
            gradient[self.at[b]] -= offset / length
        return length, gradient.ravel()

    def rows(self, places: Floats) -> tuple[Floats, Floats]:
        """All lengths (m,) and the Jacobian (m, 3n), as ``row`` gives them one by one."""
        (a, b), each = self.ends, np.arange(len(self.readings))
        points = np.vstack([places, self.seat])
        offset = points[a] - points[b]
        lengths = np.maximum(np.sqrt(np.einsum("ij,ij->i", offset, offset)), 1e-9)
        slope = offset / lengths[:, None]
        lengths[self.to_floor] = points[a[self.to_floor], 2]
        slope[self.to_floor] = (0.0, 0.0, 1.0)
        gradient = np.zeros((len(each), len(points), 3))
        gradient[each, a] = slope
        gradient[each, b] -= slope
        return lengths, gradient[:, :-1].reshape(len(each), -1)

    def solve(self) -> Floats:
        """The places (n, 3) that fit best, of several starts; ties go to the one nearest the base kit."""
        from scipy.optimize import least_squares  # late: it takes a while to import

        def misses(flat: Floats) -> Floats:
            places = flat.reshape(-1, 3)
            lengths, _ = self.rows(places)
            return np.concatenate(
                [(lengths - self.lengths) * self.weights, (flat - self.base.ravel()) / BASE_PULL_MM]
            )

        def slopes(flat: Floats) -> Floats:
            _, jacobian = self.rows(flat.reshape(-1, 3))
            return np.vstack([jacobian * self.weights[:, None], np.eye(flat.size) / BASE_PULL_MM])

        best: Floats | None = None
        least = math.inf
        generator = np.random.default_rng(0)
        for trial in range(STARTS if len(self.readings) <= MANY else 2):
            spread = 0.0 if trial == 0 else 60.0 * trial
            start = self.base + generator.normal(0.0, 1.0, self.base.shape) * spread
            found = least_squares(
                misses, start.ravel(), jac=slopes, method="lm", xtol=1e-10, ftol=1e-10, max_nfev=MOST_STEPS
            )
            if found.cost < least * (1 - 1e-6) - 1e-9:
                best, least = found.x.reshape(-1, 3), float(found.cost)
        assert best is not None
        return self.faced(best)

    def faced(self, places: Floats) -> Floats:
        """Turned about the seat, and if need be mirrored, to face as the base kit does."""
        options: list[tuple[float, Floats]] = []
        for side in (1.0, -1.0):
            points = places * np.array([side, 1.0, 1.0])
            a, b = points[:, :2], self.base[:, :2]
            # The best turn in the plane (Kabsch in two dimensions).
            angle = math.atan2(float(np.sum(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0])), float(np.sum(a * b)))
            c, s = math.cos(angle), math.sin(angle)
            turned = points.copy()
            turned[:, 0], turned[:, 1] = c * a[:, 0] - s * a[:, 1], s * a[:, 0] + c * a[:, 1]
            options.append((float(np.sum((turned - self.base) ** 2)), turned))
        return options[0][1] if options[0][0] <= options[1][0] else options[1][1]

    def places(self, places: Floats) -> dict[str, tuple[float, float, float]]:
        return {code: (float(x), float(y), float(z)) for code, (x, y, z) in zip(self.codes, places)}

    def turn_of(self, places: Floats, k: int) -> Floats:
        """The direction (3n,) in which piece k swings round the seat."""
        turn = np.zeros_like(places)
        size = max(math.hypot(float(places[k, 0]), float(places[k, 1])), 1e-9)
        turn[k, 0], turn[k, 1] = -places[k, 1] / size, places[k, 0] / size
        return turn.ravel()

    def open_pieces(self, places: Floats, held: int) -> list[str]:
        """Pieces that some shift moves without changing any reading while the bearing of piece ``held`` is kept."""
        _, jacobian = self.rows(places)
        rows = np.vstack([jacobian, self.turn_of(places, held)])
        _, sizes, directions = np.linalg.svd(rows, full_matrices=True)
        rank = int(np.sum(sizes > 1e-6 * max(1.0, float(sizes[0]))))
        free = directions[rank:].reshape(-1, len(places), 3)
        moved = np.sqrt(np.sum(free**2, axis=(0, 2)))
        return [code for code, part in zip(self.codes, moved) if part > 0.05]

    def held(self, places: Floats) -> int:
        """The piece whose bearing is held, because distances cannot tell how the whole kit is turned about the seat.

        The one that leaves fewest pieces open: a piece that floats itself would seem to set all others afloat.
        """
        if self._held is None:
            self._held = min(range(len(places)), key=lambda k: len(self.open_pieces(places, k)))
        return self._held

    def covariance(self, places: Floats) -> Floats:
        """Covariance of the coordinates (3n, 3n), mm²."""
        _, jacobian = self.rows(places)
        weighted = jacobian * self.weights[:, None]
        turn = self.turn_of(places, self.held(places))
        normal = weighted.T @ weighted + np.eye(places.size) / BASE_PULL_MM**2 + np.outer(turn, turn) * 1e4
        return np.asarray(np.linalg.inv(normal))

    def uncertainty(self, places: Floats) -> dict[str, float]:
        variance = np.diag(self.covariance(places)).reshape(-1, 3).sum(axis=1)
        return {code: float(np.sqrt(v)) for code, v in zip(self.codes, variance)}

    def undetermined(self, places: Floats) -> tuple[str, ...]:
        return tuple(self.open_pieces(places, self.held(places)))

    def residuals(self, places: Floats) -> tuple[Residual, ...]:
        lengths, jacobian = self.rows(places)
        weighted = jacobian * self.weights[:, None]
        leverage = np.einsum("ij,jk,ik->i", weighted, self.covariance(places), weighted)
        found = []
        for d, solved, w, h in zip(self.readings, lengths, self.weights, leverage):
            residual = d.mm - float(solved)
            free = 1.0 - float(h)
            # A reading that nothing else checks always fits; it proves nothing.
            checked = free > 0.03
            score = residual * float(w) / math.sqrt(free) if checked else 0.0
            by_others = d.mm - residual / free if checked else float(solved)
            found.append(Residual(d, float(solved), residual, score, by_others, False, checked))
        worst = max(found, key=lambda r: abs(r.score))
        # One misreading pulls its neighbours along; only the worst is named until it is put right.
        return tuple(r._replace(suspect=r is worst and abs(r.score) > SUSPICIOUS) for r in found)

    def suggestion(self, places: Floats) -> tuple[str, str] | None:
        """The one further reading that takes away most uncertainty, if any takes away something worth the trouble."""
        covariance = self.covariance(places)
        known = {frozenset((d.a, d.b)) for d in self.readings}
        best, gain = None, 0.0
        options = [
            *combinations(self.codes, 2),
            *((code, SEAT) for code in self.codes),
            *((c, FLOOR) for c in self.codes),
        ]
        for a, b in options:
            if frozenset((a, b)) in known:
                continue
            _, row = self.row(places, a, b)
            spread = covariance @ row
            less = float(spread @ spread) / (READING_MM**2 + float(row @ spread))
            if less > gain:
                best, gain = (a, b), less
        return best if gain > 4.0 else None
