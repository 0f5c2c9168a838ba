"""Random patterns and kits for property tests."""

from __future__ import annotations

from dataclasses import replace

from hypothesis import strategies as st

from deft_reach.core import Kit, layout

VOICES = ("sn", "hh", "t1", "t2", "ft", "rd", "c1", "c2")
_marks = st.sampled_from(["", ">", ".", "x", "^", "o", "~", ">o", ".x", ">^", "'", ",", ">'", "_", ">*25", "._8"])
_hand = st.builds(
    lambda grace, limb, voice, marks: f"{grace}{limb}{'@' + voice if voice else ''}{marks}",
    st.sampled_from(["", "", "", "", "f", "d", "u", "f[t1.]", "d[ft~]", "f[sn>]"]),
    st.sampled_from(["R", "L"]),
    st.sampled_from(["", *VOICES, "rd:bell", "sn:rim"]),
    _marks,
)
_foot = st.sampled_from(["K", "H", "K>", "K.", "Ho", "K_20"])
_step = st.one_of(
    _hand,
    _hand,
    _foot,
    st.just("-"),
    st.builds(lambda a, b: f"{a}+{b}", _hand, _foot),
    st.builds(lambda v, w: f"R@{v}+L@{w}", st.sampled_from(VOICES), st.sampled_from(VOICES)),
)
_grid = st.sampled_from(["/8", "/16", "/8t", "/16t", "/32", "/5:4/16", "/7:8/32"])


@st.composite
def texts(draw, max_steps: int = 24, swing: bool = True) -> str:
    """Stroke text without bar lines: steps, grids, groups and ties, and now and then a swing."""
    items: list[str] = [draw(st.sampled_from(["", "", "", "swing 66 /8", "swing 57.5 /16"])) if swing else ""]
    for _ in range(draw(st.integers(1, 4))):
        items.append(draw(_grid))
        steps = draw(st.lists(_step, min_size=1, max_size=max_steps // 4))
        if draw(st.booleans()):
            items.append("(" + " ".join(steps) + ")" + draw(st.sampled_from(["", "", "_", "*30"])))
        else:
            items += steps
        if draw(st.booleans()):
            items.append("=")
    return " ".join(item for item in items if item)


@st.composite
def kits(draw) -> Kit:
    """The five-piece with every piece somewhere near its usual place."""
    kit = layout("five")
    move = st.integers(-80, 80)
    pieces = tuple(replace(p, x=p.x + draw(move), y=p.y + draw(move), z=max(20.0, p.z + draw(move))) for p in kit)
    return replace(kit, pieces=pieces)


def swap_hands(text: str) -> str:
    """R for L and L for R."""
    return text.translate(str.maketrans("RL", "LR"))
