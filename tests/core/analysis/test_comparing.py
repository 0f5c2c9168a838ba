"""Worse means more to think about, breaking where the other does not, or harder."""

from deft_reach.core import Player, analyse, layout, parse
from deft_reach.core.analysis.comparing import is_worse


def report(text, tempo):
    return analyse(parse(text), layout("five"), Player(), tempo, repeat=True)


def test_worse_is_one_way_only():
    easy, hard = report("/8 R L R L", 80), report("/16 R@ft R@c1 R@ft R@c1", 150)
    assert is_worse(hard, easy) and not is_worse(easy, hard)
    assert not is_worse(easy, easy) and not is_worse(hard, hard)


def test_ease_counts_only_where_it_is_asked_for():
    one_drum, round_the_kit = report("/16 R L R L", 80), report("/16 R@sn L@t1 R@ft L@t1", 80)
    assert not round_the_kit.serious and round_the_kit.summary.ease < one_drum.summary.ease - 1
    assert is_worse(round_the_kit, one_drum) and not is_worse(round_the_kit, one_drum, ease=False)


def test_what_breaks_below_its_tempo_is_worse():
    slow, fast = report("/16 R L R L", 100), report("/16 R L R L", 400)
    assert fast.summary.headroom < 0 < slow.summary.headroom
    assert is_worse(fast, slow, ease=False)
