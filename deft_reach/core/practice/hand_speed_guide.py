"""Leading through the hand test: what is played now, and when the next exercise begins."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

from deft_reach.core.practice.hand_speed import EXERCISE_S, EXERCISES, NAMES, REST_S, Exercise


class Now(NamedTuple):
    """Where a guided test is: the exercise, whether it is to be played now (or comes next), and the seconds left."""

    exercise: Exercise
    playing: bool
    left: float


class Guide:
    """A guided test: which exercise when. It takes seconds since the test began, and knows no clock of its own."""

    def __init__(self, names: Sequence[str] = NAMES, lead_in: float = REST_S) -> None:
        self.exercises = [exercise for exercise in EXERCISES if exercise.name in names]
        self.lead_in = lead_in

    def begin_of(self, number: int) -> float:
        """When an exercise begins (seconds)."""
        return self.lead_in + number * (EXERCISE_S + REST_S)

    @property
    def length(self) -> float:
        """How long the whole test is (seconds)."""
        return self.begin_of(len(self.exercises)) - REST_S if self.exercises else 0.0

    @property
    def marks(self) -> tuple[tuple[float, str], ...]:
        """When which exercise begins, for exercises_of: with a little room for who is early."""
        return tuple((self.begin_of(k) - 0.5, exercise.name) for k, exercise in enumerate(self.exercises))

    def at(self, seconds: float) -> Now | None:
        """What is to be done; None when it is over."""
        for k, exercise in enumerate(self.exercises):
            begin = self.begin_of(k)
            if seconds < begin:
                return Now(exercise, False, begin - seconds)
            if seconds < begin + EXERCISE_S:
                return Now(exercise, True, begin + EXERCISE_S - seconds)
        return None
