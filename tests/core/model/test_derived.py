"""Values kept with their owners."""

import gc
import pickle
import sys
import weakref
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace

from deft_reach.core import Player, analyse, layout, parse
from deft_reach.core.model.derived import derived, newest
from deft_reach.core.model.pattern import Pattern

TEXT = "/16 R L R R L R L L R@hh L+K R R@t1 L R@ft L L |"


def test_worked_out_once_for_each_owner_and_arguments():
    asked = []

    @derived
    def count(pattern: Pattern, by: int) -> int | None:
        asked.append(by)
        return None if by == 0 else len(pattern.strokes) * by

    one, two = parse("R L"), parse("R L R")
    assert [count(one, 1), count(one, 2), count(two, 1), count(one, 1), count(one, 0), count(one, 0)] == [
        2, 4, 3, 2, None, None,
    ]  # fmt: skip
    assert asked == [1, 2, 1, 0]
    assert count.known(one, 1) == 2 and count.known(two, 2) is None
    count.give(two, 99, 2)
    assert count(two, 2) == 99
    three = parse("L")
    count.share(three, two, 1)
    assert count(three, 1) == 3 and asked == [1, 2, 1, 0]


def test_the_newest_takes_the_place_of_the_one_before():
    asked = []

    @newest
    def times(pattern: Pattern, by: int) -> int:
        asked.append(by)
        return len(pattern.strokes) * by

    pattern = parse("R L")
    assert [times(pattern, 1), times(pattern, 1), times(pattern, 2), times(pattern, 1)] == [2, 2, 4, 2]
    assert asked == [1, 2, 1]


def test_what_was_derived_goes_with_its_owner():
    pattern = parse(TEXT)
    report = analyse(pattern, layout("five"), Player(), 100)
    gone = weakref.ref(report.pattern)
    del pattern, report
    gc.collect()
    assert gone() is None


def test_a_copy_derives_its_own():
    pattern = parse(TEXT)
    analyse(pattern, layout("five"), Player(), 100)
    again = pickle.loads(pickle.dumps(pattern))
    assert again == pattern
    assert (
        analyse(again, layout("five"), Player(), 100).as_dict()
        == analyse(replace(pattern), layout("five"), Player(), 100).as_dict()
    )


def test_threads_that_analyse_one_pattern_at_once_agree():
    """Iterating what was kept while another thread added to it once failed."""
    kits, tempi = [layout(name) for name in ("five", "five-double", "large", "pit")], range(60, 180, 3)
    wanted = [analyse(parse(TEXT), kit, Player(), t, repeat=True).as_dict() for kit in kits for t in tempi]
    shared, switch = parse(TEXT), sys.getswitchinterval()
    sys.setswitchinterval(1e-6)
    try:
        with ThreadPoolExecutor(8) as threads:
            found = threads.map(
                lambda case: analyse(shared, case[0], Player(), case[1], repeat=True).as_dict(),
                [(kit, t) for kit in kits for t in tempi],
            )
            assert list(found) == wanted
    finally:
        sys.setswitchinterval(switch)
