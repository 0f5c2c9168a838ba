"""What both hands have done before a moment, for every way in which the last choices can have been made.

A *state* is a number whose bits are the options of the last choices, the newest lowest. Looking back from a moment,
everything is known as far as the choices in the state reach; what is older is not, and costs as little as it can.
"""

from __future__ import annotations

from typing import Any, Final

import numpy as np

from deft_reach.core.motion.columns import RUN_GAP
from deft_reach.core.motion.pose import Floats
from deft_reach.core.motion.sequence import Flags, Ints
from deft_reach.core.motion.timing import HAND_REBOUND, PLAIN_LEVEL
from deft_reach.core.search.planner.moments import BOTH, NOBODY, Moments
from deft_reach.core.search.planner.states import States
from deft_reach.core.search.progress import NO_PROGRESS, Progress

#: No further back than this many moments is looked, however few of them are choices.
FURTHEST: Final = 40
#: The gaps before a stroke that its rebound can depend on, and the strikes that bound them.
GAPS: Final = len(HAND_REBOUND)
#: Wide enough for every number here: voices, options and moments back. Most of the time goes into moving them.
SMALL: Final = np.int16


class Past:
    """The past of each (moment, state), by side where a hand is meant.

    ``since`` (2, 1 + GAPS, moments, states): how long ago (whole notes) the hand's last strikes were, NaN where they
    are not known; ``none`` says that there were none. ``depth`` is how many moments ago the last one was (0: not
    known) and ``option`` what was chosen there. ``voice`` is where the hand is and ``origin`` where it last came from
    (−1: not known or nowhere), ``level`` the last stroke's, ``grace`` whether it was a grace, ``run`` its place in a
    run. ``elder`` and ``elder_option`` are the depth and option at which the *other* hand came before or with this
    hand's last strike. ``streak`` is how many moments a hand has struck alone up to now, and ``chosen`` whether one
    of them was open; ``leader`` who leads (a side, NOBODY: not known).
    """

    def __init__(
        self, moments: Moments, states: States, length: float | None, progress: Progress = NO_PROGRESS
    ) -> None:  # fmt: skip
        # Long: one pass back over the moments fills all columns; they share masks.
        n, self.count = len(moments), int(moments.choice.sum())
        self.memory, self.size, self.length = states.memory, states.width, length
        loop = length is not None
        s = states.numbers
        shape = (n + (0 if loop else 1), self.size)
        e = np.arange(shape[0])
        time = moments.time if loop else np.append(moments.time, moments.time[-1] if n else 0.0)
        self.since = np.full((2, 1 + GAPS, *shape), np.nan)
        self.depth, self.option = np.zeros((2, *shape), dtype=SMALL), np.zeros((2, *shape), dtype=SMALL)
        self.voice, self.origin = np.full((2, *shape), -1, dtype=SMALL), np.full((2, *shape), -1, dtype=SMALL)
        self.level, self.grace = np.full((2, *shape), PLAIN_LEVEL, dtype=SMALL), np.zeros((2, *shape), dtype=bool)
        self.run, self.streak = np.zeros((2, *shape), dtype=SMALL), np.zeros((2, *shape), dtype=SMALL)
        self.chosen = np.zeros((2, *shape), dtype=bool)
        self.elder, self.elder_option = np.zeros((2, *shape), dtype=SMALL), np.zeros((2, *shape), dtype=SMALL)
        self.leader, self.keeper = np.full(shape, NOBODY, dtype=SMALL), np.full((2, *shape), NOBODY, dtype=SMALL)
        self.figure = np.full((2, *shape), NOBODY, dtype=SMALL)
        #: Who struck alone at the moment before, if it is not long ago.
        self.last_alone = np.full(shape, NOBODY, dtype=SMALL)
        #: Whether the kept surface was struck then.
        self.last_kept = np.zeros(shape, dtype=bool)
        found = np.zeros((2, *shape), dtype=SMALL)
        alive, counted = np.ones((2, *shape), dtype=bool), np.full((2, *shape), np.nan)
        struck_alone = np.ones((2, *shape), dtype=bool)
        any_graces = bool(moments.graces.any() or moments.graced.any())
        who_alone, who_leads, who_keeps, level_of, voice_of = (
            column.astype(SMALL)
            for column in (moments.alone, moments.leader, moments.keeper, moments.level, moments.voice)
        )
        sides, partners = np.array([[[0]], [[1]]], dtype=SMALL), np.array([[[1]], [[0]]], dtype=SMALL)
        passed = np.zeros(shape[0], dtype=np.intp)
        ended = np.zeros(shape[0], dtype=bool)
        self.reaches = np.zeros(shape[0], dtype=np.intp)
        for k in range(1, FURTHEST + 1) if n else ():
            progress.at(k - 1, FURTHEST)
            j = e - k
            if loop:
                turns, at = np.divmod(j, n)
                ago = time - (moments.time[at] + turns * length)
            else:
                at = np.maximum(j, 0)
                ago = time - moments.time[at] if n else time
                ended |= j < 0
            # A loop whose choices are all in the state is known for ever: round after round it is the same.
            if not (loop and self.memory == self.count):
                ended |= passed + moments.choice[at] > self.memory
            live = ~ended
            if not live.any():
                break
            self.reaches[live] = k
            passed += np.where(live, moments.choice[at], 0)
            shift = (np.maximum(passed - 1, 0) % max(self.memory, 1))[:, None]
            bit = (((s >> shift) & 1) > 0) & moments.choice[at][:, None]
            here = live[:, None]

            def pick(column: Any, at: Ints = at, bit: Flags = bit) -> Any:
                """Of a column by (moment, option) what was chosen."""
                return np.where(bit, column[at, 1][:, None], column[at, 0][:, None])

            def pick_side(column: Any, at: Ints = at, bit: Flags = bit) -> Any:
                """Of a column by (moment, option, side) what was chosen, by side first."""
                one, two = column[at, 0].T[:, :, None], column[at, 1].T[:, :, None]
                return np.where(bit, two, one)

            alone, leads = pick(who_alone), pick(who_leads)
            new = here & (self.leader == NOBODY) & (leads != NOBODY) & (leads != BOTH)
            np.copyto(self.leader, leads, where=new)
            if k == 1:
                np.copyto(self.last_alone, alone, where=here & (ago[:, None] <= RUN_GAP))
            keeps = pick(who_keeps)
            if k == 1:
                self.last_kept = here & (keeps != NOBODY)
            played = here & (keeps != NOBODY)
            np.copyto(self.keeper[1], keeps, where=played & (self.keeper[0] != NOBODY) & (self.keeper[1] == NOBODY))
            np.copyto(self.keeper[0], keeps, where=played & (self.keeper[0] == NOBODY))
            for n_beats in (0, 1):
                same = moments.figure[:, n_beats] == k
                if same.any():
                    rows = np.zeros(shape[0], dtype=bool)
                    rows[:n] = same
                    np.copyto(self.figure[n_beats], alone, where=here & rows[:, None])
            comes = pick_side(moments.comes) & here
            graces = pick_side(moments.graces) if any_graces else False
            since = np.broadcast_to(ago[:, None], comes.shape)
            for g in range(1 + GAPS):
                np.copyto(self.since[:, g], since, where=comes & (found == g))
            first = comes & (found == 0)
            np.copyto(self.depth, k, where=first)
            np.copyto(self.option, bit, where=first)
            np.copyto(self.level, pick_side(level_of), where=first)
            np.copyto(self.grace, graces, where=first)
            voice = np.where(comes, pick_side(voice_of), SMALL(-1))
            there = self.voice >= 0
            other = there & (voice >= 0) & (voice != self.voice) & (self.origin < 0)
            np.copyto(self.origin, voice, where=other)
            np.copyto(self.voice, voice, where=~there)
            # A run ends where the partner strikes alone, at a rest, and at graces.
            alive &= ~(here & (alone == partners))
            on = comes & alive
            begins = on & (since - counted > RUN_GAP)
            alive &= ~begins
            on &= ~begins
            self.run += on
            np.copyto(counted, since, where=on)
            if any_graces:
                # A graced stroke begins a run itself: nothing before it counts.
                alive &= ~(on & (pick_side(moments.graced) | graces))
            found += comes
            struck_alone &= ~here | (alone == sides)
            self.streak += here & struck_alone
            self.chosen |= here & struck_alone & moments.open[at][:, None]
            # Where the other hand was when this one struck last, or came to be before.
            met = (self.depth > 0) & (self.elder == 0) & comes[::-1]
            np.copyto(self.elder, k, where=met)
            np.copyto(self.elder_option, bit, where=met)
        #: Whether everything there ever was is known: before it there was nothing.
        self.whole: Flags = (e - self.reaches <= 0)[:, None] & np.ones(shape, dtype=bool)
        if loop:
            self.whole[:] = False

    def gaps(self, side: int, moments: int) -> tuple[Floats, list[Floats]]:
        """Of the first ``moments``: the gap since a hand's last strike, and those before it, NaN where not known and
        infinite where there was none.

        Whole notes, (moments, states) each; NaN where they are not known.
        """
        since = self.since[side][:, :moments]
        earlier = [since[g + 1] - since[g] for g in range(GAPS)]
        whole = self.whole[:moments]
        return since[0], [np.where(np.isnan(gap) & whole, np.inf, gap) for gap in earlier]
