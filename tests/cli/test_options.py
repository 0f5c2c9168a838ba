"""Every option of every verb, through the command: what it changes, what it leaves alone, and where it is refused."""

import json
import shlex
from dataclasses import replace
from typing import NamedTuple

import pytest

from deft_reach.cli.main import all_verbs
from deft_reach.core import layout
from deft_reach.formats.document import dump_document, dump_kit, load_document
from deft_reach.store.places import demo_file, demo_log_file
from tests.cli.test_verbs import run

VERBS = {verb.name: verb for verb in all_verbs()}
GROOVE = "/8 R@hh+K R@hh R@hh+L> R@hh R@hh+K R@hh+K R@hh+L> R@hh |"
RUN = "/16 (R L R R) (L R L L) (R@t1 L@t1 R@ft L@ft)"
OPEN = "/16 ?@hh ? ?@t1 ? ?@ft ? ?@hh ?"


class Case(NamedTuple):
    """What is asked without the option, what with it, what has to differ then, and what may not.

    Fields are named by their path in the JSON object, places in lists left out; ``file`` is what was written, and
    ``code`` the exit code.
    """

    base: str
    add: str
    changes: str
    keeps: str = ""


_FIXED = "strokes.limb strokes.voice strokes.marks strokes.travel_mm"
_ANALYSE, _PLAN = "analyse -e [G]", "plan -e [O] --best 3"
_VOICE = "voice -e [R] --palette sn,t1,t2,ft"
_RELIEVE = "relieve -e [G] --hand R"
_REFIT = "refit -e 'R@t1 L@t2 R@c2 L K K' --to compact"
_FIGURES = "layout -e 'R@ft L@t1 R@rd L' -e '/8 R@rd L@ft'"
_LAYOUT = f"{_FIGURES} --move ft --within 60 --evaluate 120"
_LADDER = "ladder -e [R] --target 100"
_TAKE, _PERFORM = "take -e [R] late.mid", "perform -e [R] {out}"
_HANDS_TEST = "perform --hands {out}"
_TODAY = "today show.reach --log practice.csv"
_SEARCHED = {"plan": _PLAN, "voice": _VOICE, "relieve": _RELIEVE, "refit": _REFIT, "layout": _LAYOUT}
#: What a search says of each answer.
_COST = {"layout": "best.before.cost", "refit": "best.cost", "plan": "best.cost", "voice": "best.cost",
         "relieve": "as_written.cost"}  # fmt: skip
_LIMIT = {name: path.replace(".cost", ".tempo_limit") for name, path in _COST.items()}

CASES = {
    ("analyse", "-e"): Case("analyse roll.txt", "analyse -e [G]", "strokes.voice summary.strokes"),
    ("analyse", "--plan"): Case("analyse show.reach", "--plan storm", "strokes.voice summary.tempo"),
    ("analyse", "--track"): Case("analyse parts.mid", "--track 1", "summary.strokes"),
    ("analyse", "--kit"): Case(_ANALYSE, "--kit pit", "strokes.reach", "strokes.limb strokes.voice strokes.time"),
    ("analyse", "--player"): Case(
        _ANALYSE, "--player small.json", "strokes.reach", f"{_FIXED} strokes.time summary.tempo"
    ),
    ("analyse", "--skill"): Case(
        _ANALYSE, "--skill advanced", "strokes.needed summary.tempo_limit", f"{_FIXED} strokes.time strokes.reach"
    ),
    ("analyse", "--habits"): Case(_ANALYSE, "--habits lead=left", "summary.cost", f"{_FIXED} summary.tempo_limit"),
    ("analyse", "--tempo"): Case(
        _ANALYSE, "--tempo 120", "strokes.time strokes.pace summary.tempo summary.headroom",
        f"{_FIXED} strokes.needed strokes.reach summary.tempo_limit",
    ),
    ("analyse", "--repeat"): Case(_ANALYSE, "--repeat", "strokes.gap", f"{_FIXED} strokes.time summary.tempo"),
    ("plan", "--school"): Case(_PLAN, "--school left-lead", "best.sticking", "best.text.length"),
    ("plan", "--hat"): Case(_PLAN, "--hat open", "best.sticking"),
    ("plan", "--kind"): Case(_PLAN, "--kind hand-to-hand", "best.kind"),
    ("plan", "--max-run"): Case(
        "plan -e '/8 ?@hh ?@hh ?@hh ?@hh+L ?@hh ?@hh' --best 1", "--max-run 2", "best.sticking"
    ),
    ("voice", "--palette"): Case(_VOICE, "voice -e [R] --palette sn,t1,t2", "best.text", "best.sticking"),
    ("voice", "--accents"): Case("voice -e 'R> L R R L> R L L' --palette sn,t1", "--accents c1,c2", "best.text"),
    ("voice", "--contour"): Case(_VOICE, "--contour up", "best.text"),
    ("relieve", "--hand"): Case("relieve -e [R] --hand R", "relieve -e [R] --hand L", "best.sticking"),
    ("relieve", "--share"): Case(_RELIEVE, "--share 0.3", "best.share", "as_written.text"),
    ("relieve", "--keep"): Case(_RELIEVE, "--keep accents", "best.kept", "as_written.text"),
    ("refit", "--to"): Case("refit -e 'R@t1 L@t2 R@c2 L K K' --pedals 1", "--to compact", "best.text"),
    ("refit", "--pedals"): Case(
        "refit -e 'K J K J' --kit five-double --to five-double --best 2", "--pedals 1", "best.text"
    ),
    ("refit", "--use"): Case(_REFIT, "--use t2=rd", "best.text"),
    ("layout", "-e"): Case(_LAYOUT, "-e 'R@ft R@ft'", "best.plans.name"),
    ("layout", "--move"): Case(_LAYOUT, f"{_FIGURES} --move rd --within 60 --evaluate 120",
                               "best.moves.piece"),
    ("layout", "--within"): Case(_LAYOUT, f"{_FIGURES} --move ft --within 20 --evaluate 120",
                                 "best.moves.dx"),
    ("layout", "--evaluate"): Case(
        _LAYOUT, f"{_FIGURES} --move ft --within 60 --evaluate 300", "evaluated"
    ),
    ("ladder", "--target"): Case(_LADDER, "ladder -e [R] --target 130", "rungs.tempo", "stages.text"),
    ("ladder", "--start"): Case(_LADDER, "--start 90", "rungs.tempo", "stages.text equivalents.tempo"),
    ("ladder", "--step"): Case(_LADDER, "--step 5", "rungs.tempo", "stages.text equivalents.tempo"),
    ("ladder", "--overspeed"): Case(_LADDER, "--overspeed 5%", "rungs.tempo", "stages.text equivalents.tempo"),
    ("ladder", "--by"): Case(_LADDER, "--by chunks", "stages.name", "equivalents.tempo"),
    ("ladder", "--minutes"): Case(_LADDER, "--minutes 5", "rungs.tempo", "stages.text equivalents.tempo"),
    ("ladder", "--repeats"): Case(_LADDER, "--repeats 3", "rungs.repeats", "stages.text equivalents.tempo"),
    ("ladder", "--straight"): Case(_LADDER, "--straight", "stages.name", "equivalents.tempo"),
    ("ladder", "--skill"): Case(_LADDER, "--skill advanced", "stages.tempo_limit rungs.pace", "stages.text"),
    ("ladder", "--player"): Case(
        "ladder -e '/16 R R R R' --target 100", "--player quick.json", "stages.tempo_limit", "stages.text"
    ),
    ("ladder", "--kit"): Case(_LADDER, "--kit pit", "stages.tempo_limit", "stages.name"),
    ("ladder", "--repeat"): Case("ladder -e 'R R L' --target 100", "--repeat", "rungs.pace", "stages.text"),
    ("take", "--tempo"): Case("take -e [R] good.mid", "--tempo 90", "verdict", "limbs.R.strokes"),
    ("take", "--tolerance"): Case(_TAKE, "--tolerance 60", "tolerance_ms", "tempo limbs.L.bias_ms"),
    ("take", "--free"): Case("take -e '/8 (R R) (L L)' free.mid", "--free 2", "verdict", "limbs.R.strokes"),
    ("take", "--no-dynamics"): Case("take -e 'R> L R L' flat.mid", "--no-dynamics", "verdict", "tempo"),
    ("take", "--ramp"): Case("take -e [R] ramp.mid", "--ramp 80-200x6", "ramp"),
    ("take", "--notes"): Case(_TAKE, "--notes odd.json", "missed"),
    ("take", "--repeat"): Case("take -e '/16 R L R R L R L L' once.mid", "--repeat", "rounds"),
    ("take", "--kit"): Case("take -e 'R@c2 L' crash.mid", "--kit compact", "missed"),
    ("today", "--minutes"): Case(_TODAY, "--minutes 60", "minutes items.minutes", "forecast"),
    ("today", "--log"): Case("today show.reach", "--log practice.csv", "items.what", "cautions"),
    ("perform", "-e"): Case("perform roll.txt {out}", "perform -e [R] {out}", "hits file"),
    ("perform", "--plan"): Case("perform show.reach {out}", "--plan storm", "hits file tempo"),
    ("perform", "--track"): Case("perform own.musicxml {out}", "--track 1", "hits file"),
    ("perform", "--kit"): Case("perform -e 'R@c2 L' {out}", "--kit left.json", "file", "hits"),
    ("perform", "--player"): Case(_HANDS_TEST, "--player quick.json", "file"),
    ("perform", "--skill"): Case(_PERFORM + " --strain --tempo 200", "--skill advanced", "file", "hits"),
    ("perform", "--tempo"): Case(_PERFORM, "--tempo 120", "file tempo", "hits rounds"),
    ("perform", "--hands"): Case(_PERFORM, _HANDS_TEST, "exercises file"),
    ("perform", "--constant"): Case(_HANDS_TEST, "--constant right=0.2", "file", "exercises.name"),
    ("perform", "--ramp"): Case(_PERFORM, "--ramp 80-140x6", "ramp rounds file"),
    ("perform", "--clicked"): Case(_PERFORM, "--clicked", "hits file", "tempo"),
    ("perform", "--strain"): Case(_PERFORM + " --tempo 200", "--strain", "file", "hits tempo"),
    ("perform", "--rounds"): Case(_PERFORM, "--rounds 2", "rounds hits file", "tempo"),
    ("perform", "--notes"): Case("perform -e 'R@hh R@hho' {out}", "--notes odd.json", "file", "hits tempo"),
    ("perform", "--seed"): Case(_PERFORM + " --jitter 5", "--seed 2", "file", "hits tempo"),
    ("perform", "--faster"): Case(_PERFORM, "--faster 10", "file", "hits tempo rounds"),
    ("perform", "--bare"): Case("perform -e 'fR L fR L' {out}", "--bare 100", "hits file", "tempo"),
    ("perform", "--graces"): Case("perform -e 'fR L fR L' {out}", "--graces 2", "file", "hits tempo"),
    ("perform", "--feet"): Case("perform -e 'K K K R' {out}", "--feet 0.7", "file", "hits tempo"),
    ("perform", "--doubles"): Case("perform -e 'R R L L' {out}", "--doubles 0.7", "file", "hits tempo"),
    ("perform", "--flat"): Case("perform -e 'R> L. R L' {out}", "--flat 100", "file", "hits tempo"),
    ("perform", "--swapped"): Case("perform -e 'R> L. R L' {out}", "--swapped 100", "file swapped", "hits tempo"),
    ("perform", "--late-feet"): Case("perform -e 'K R H L' {out}", "--late-feet 20", "file", "hits tempo"),
    ("perform", "--late-hat-foot"): Case("perform -e 'K R H L' {out}", "--late-hat-foot 20", "file", "hits tempo"),
    ("perform", "--latency"): Case(_PERFORM, "--latency 40", "file", "hits tempo"),
    ("hands", "--kit"): Case("hands test.mid", "--kit pit", "constants.move.value", "constants.right.value"),
    ("hands", "--player"): Case("hands test.mid", "--player small.json", "player.stature_mm", "constants.left.value"),
    ("hands", "--skill"): Case("hands test.mid", "--skill advanced", "player.skill", "constants.right.value"),
    ("hands", "--notes"): Case("hands test.mid", "--notes odd.json", "constants"),
    ("hands", "--out"): Case("hands test.mid", "--out {out}", "file", "constants.right.value"),
    ("kit mirror", "--out"): Case("kit mirror five", "--out {out}", "file", "pieces.x"),
    ("kit measure", "--out"): Case("kit measure tape.csv", "--out {out}", "file", "rms_mm"),
    ("kit measure", "--kit"): Case("kit measure tape.csv", "--kit pit", "kit.name"),
    ("kit measure", "--player"): Case("kit measure unseated.csv", "--player high.json", "kit.pieces.x", "residuals"),
    ("kit measure", "--left"): Case(
        "kit measure two.csv --kit left.json", "--left hh", "kit.pieces.x", "residuals.measured"
    ),
    ("kit measure", "--right"): Case("kit measure two.csv", "--right hh", "kit.pieces.x"),
    ("convert", "-e"): Case("convert roll.txt {out}.txt", "convert -e [R] {out}.txt", "file strokes text"),
    ("convert", "--plan"): Case("convert show.reach {out}.txt", "--plan storm", "file text tempo"),
    ("convert", "--track"): Case("convert parts.mid {out}.txt", "--track 1", "file strokes"),
    ("convert", "--kit"): Case("convert -e 'R@c2 L' {out}.mid", "--kit left.json", "file", "text tempo"),
    ("convert", "--player"): Case("convert -e [R] {out}.reach", "--player small.json", "file", "text tempo"),
    ("convert", "--skill"): Case("convert -e [R] {out}.reach", "--skill advanced", "file", "text tempo"),
    ("convert", "--tempo"): Case("convert -e [R] {out}.mid", "--tempo 120", "file tempo", "text strokes"),
    ("convert", "--repeat"): Case("convert -e [R] {out}.mid", "--repeat", "file repeat", "text tempo"),
    ("shot", "--view"): Case("shot --view start --size 640x480 --out {out}.png",
                             "shot --view voice --size 640x480 --out {out}.png", "file view", "width"),
    ("shot", "--size"): Case("shot --view start --out {out}.png", "--size 640x480", "file width height", "view"),
    ("shot", "--plan"): Case("shot --view voice --size 640x480 --out {out}.png", "--plan storm", "file", "width"),
    ("shot", "--theme"): Case("shot --view start --size 640x480 --out {out}.png", "--theme dark", "file", "width"),
    ("shot", "--out"): Case("shot --view start --size 640x480 --out other.png",
                            "shot --view start --size 640x480 --out {out}.png", "file out", "width"),
}  # fmt: skip
OF_A_SHOW = {
    "plan": "plan open.reach", "voice": "voice show.reach --palette sn,t1,ft",
    "relieve": "relieve show.reach --hand R",
    "refit": "refit show.reach --to compact", "layout": "layout show.reach --move ft --evaluate 80 --within 200",
}  # fmt: skip
OF_TWO_PARTS = {
    "plan": "plan parts.mid", "voice": "voice own.musicxml --palette sn,t1",
    "relieve": "relieve own.musicxml --hand R",
    "refit": "refit own.musicxml --to compact", "layout": "layout own.musicxml --move t1,ft --evaluate 120",
}  # fmt: skip
OTHER_TEXTS = {
    "plan": "plan -e '/16 ? ? ? ?'", "voice": "voice -e 'R L R L' --palette sn,t1",
    "relieve": "relieve -e [R] --hand R", "refit": "refit -e 'R@t2 L' --to compact",
}  # fmt: skip
ON_OTHER_KITS = {
    "refit": "refit -e 'R@t3 L@t2 R@f2' --to compact", "voice": "voice -e [R] --palette sn,t1,ft",
}  # fmt: skip
for verb, base in _SEARCHED.items():
    cost, limit = _COST[verb], _LIMIT[verb]
    CASES |= {
        (verb, "--plan"): Case(
            OF_A_SHOW[verb], "--plan second" if verb == "plan" else "--plan storm",
            "best.plans.name" if verb == "layout" else "best.text",
        ),
        (verb, "--track"): Case(OF_TWO_PARTS[verb], "--track 1", cost),
        (verb, "--kit"): Case(
            ON_OTHER_KITS.get(verb, base), "--kit large" if verb == "refit" else "--kit pit",
            "best.substitutions" if verb == "refit" else cost,
        ),
        (verb, "--player"): Case(base, "--player small.json", cost),
        (verb, "--skill"): Case(base, "--skill advanced", limit),
        **({(verb, "--habits"): Case(base, "--habits lead=left,order=0", cost)} if verb != "layout" else {}),
        (verb, "--tempo"): Case(base, "--tempo 60", cost),
        (verb, "--repeat"): Case(base, "--repeat", cost),
        (verb, "--best"): Case(
            f"{_FIGURES} --move ft,rd --within 60 --evaluate 400" if verb == "layout" else base,
            "plan -e [O] --best 2" if verb == "plan" else "--best 1", "best.count",
        ),
    }  # fmt: skip
    if verb in OTHER_TEXTS:
        CASES[verb, "-e"] = Case(base, OTHER_TEXTS[verb], "best.text")
for verb, file, said in (("ladder", "--target 100", "stages.text"), ("take", "late.mid", "places")):
    CASES[verb, "-e"] = Case(f"{verb} roll.txt {file}", f"{verb} -e [R] {file}", said)
    CASES[verb, "--plan"] = Case(f"{verb} show.reach {file}", "--plan storm", said)
    CASES[verb, "--track"] = Case(f"{verb} own.musicxml {file}", "--track 1", said)
for flag, value in (
    ("--late-left", 20), ("--late-right", 20), ("--missed", 20), ("--extra", 20), ("--drift", 10), ("--jitter", 8),
    ("--flub", 60), ("--count-in", 4), ("--broken-off", 3), ("--retrigger", 20), ("--crosstalk", 20),
):  # fmt: skip
    counts = flag in ("--missed", "--extra", "--count-in", "--broken-off", "--retrigger", "--crosstalk")
    CASES["perform", flag] = Case(_PERFORM, f"{flag} {value}", "file hits" if counts else "file", "tempo rounds")
#: Where something else is printed or replaced, and nothing of the answer changes: tested by itself.
ELSEWHERE = {"--json", "--force"}

#: Options where they would do nothing, and what is said of them.
REFUSED = [
    "analyse -e [R] --plan storm", "analyse -e [R] --track 1", "analyse roll.txt --plan x",
    "analyse show.reach --track 1", "plan -e [O] --plan x", "plan -e [O] --track 1",
    "voice -e [R] --palette sn --plan x", "voice -e [R] --palette sn --track 1", "relieve -e [G] --hand R --plan x",
    "relieve -e [G] --hand R --track 1", "refit -e [R] --to compact --plan x",
    "refit -e [R] --to compact --track 1", "layout -e [R] --move ft --plan x", "layout -e [R] --move ft --track 1",
    "ladder -e [R] --target 100 --plan x", "ladder -e [R] --target 100 --track 1",
    "ladder -e [R] --target 100 --tempo 90", "ladder -e [R] --target 100 --by chunks --straight",
    "take -e [R] late.mid --plan x", "take -e [R] late.mid --track 1",
    "take -e [R] ramp.mid --ramp 80-200x6 --tempo 90", "take -e [R] ramp.mid --ramp 80-200x6 --tolerance 20",
    "take -e [R] ramp.mid --ramp 80-200x6 --free 1", "take -e [R] ramp.mid --ramp 80-200x6 --no-dynamics",
    "take -e [R] ramp.mid --ramp 80-200x6 --repeat", "take -e [R] late.mid --skill advanced",
    "perform -e [R] x.mid --plan x", "perform -e [R] x.mid --track 1", "perform --hands x.mid --plan x",
    "perform --hands x.mid -e", "perform --hands x.mid --track 1", "perform --hands x.mid --tempo 90",
    "perform --hands x.mid --ramp 80-140x6", "perform --hands x.mid --rounds 2", "perform --hands x.mid --clicked",
    "perform --hands x.mid --strain", "perform -e [R] x.mid --ramp 80-140x6 --rounds 2",
    "perform -e [R] x.mid --ramp 80-140x6 --tempo 90", "perform -e [R] x.mid --ramp 80-140x6 --drift 10",
    "perform -e [R] x.mid --player small.json", "perform -e [R] x.mid --skill advanced",
    "perform -e [R] x.mid --seed 2", "perform -e [R] x.mid --constant right=0.1", "perform -e [R] x.mid --repeat",
    "perform -e [R] - --json", "perform -e [R] - --force", "hands test.mid --force",
    "hands test.mid --out - --json", "kit mirror five --force", "kit mirror five --out - --json",
    "kit measure tape.csv --force", "kit measure tape.csv --out - --json", "convert -e [R] a.txt --plan x",
    "convert -e [R] a.txt --track 1", "convert -e [R] a.txt --player small.json",
    "convert -e [R] a.txt --skill advanced", "convert -e [R] a.txt --repeat", "convert -e [R] - --json",
    "convert -e [R] - --force", "shot --view start --out a.png --plan storm", "shot --view start --out - --json",
    "shot --view start --out - --force",
    *(f"perform --hands x.mid {flag} 1" for flag in (
        "--late-left", "--late-right", "--feet", "--doubles", "--missed", "--extra", "--drift", "--flat", "--swapped",
        "--late-feet", "--late-hat-foot", "--flub", "--faster", "--bare", "--graces", "--latency", "--count-in",
        "--broken-off", "--retrigger", "--crosstalk",
    )),
]  # fmt: skip


@pytest.fixture(scope="module")
def files(tmp_path_factory):
    """A folder with a file of every kind that is asked about."""
    folder = tmp_path_factory.mktemp("files")
    with pytest.MonkeyPatch.context() as patch:
        patch.chdir(folder)
        (folder / "roll.txt").write_text("/16 R R L L R R L L\n")
        (folder / "show.reach").write_bytes(demo_file().read_bytes())
        (folder / "practice.csv").write_bytes(demo_log_file().read_bytes())
        document = load_document(demo_file().read_bytes())
        texts = ("/16 ?@hh ? ? ?", "/16 ?@ft ?@t1 ? ? ?")
        patterns = tuple(replace(one, text=text) for one, text in zip(document.patterns, texts))
        names = zip(("first", "second"), patterns)
        plans = tuple(replace(document.plans[0], id=id, name=id, pattern=one.id) for id, one in names)
        small = replace(document, patterns=patterns, plans=plans, songs=(), commitments=())
        (folder / "open.reach").write_bytes(dump_document(small))
        (folder / "small.json").write_text('{"stature_mm": 1500}')
        (folder / "high.json").write_text('{"seat_height_mm": 620}')
        (folder / "quick.json").write_text('{"constants": {"right": 0.09}}')
        (folder / "left.json").write_bytes(dump_kit(layout("five").mirror()))
        (folder / "odd.json").write_text(
            '{"format": "note map", "version": 1, "name": "odd", "notes": {"20": 38, "21": 42}}'
        )
        (folder / "tape.csv").write_text(
            "sn,seat,461\nsn,floor,650\nhh,sn,436\nhh,floor,880\nseat,floor,520\nt1,sn,330\n"
        )
        (folder / "two.csv").write_text("sn,seat,461\nsn,floor,650\nhh,sn,436\nhh,floor,880\nhh,seat,640\n")
        (folder / "unseated.csv").write_text("sn,seat,461\nsn,floor,650\nhh,sn,436\nhh,seat,700\n")
        _parts(folder)
        for words in (
            f"perform -e '{RUN}' late.mid --late-left 30", f"perform -e '{RUN}' good.mid",
            "perform -e '/8 R R L L' free.mid --late-left 60",
            "perform -e '/16 R L R R L R L L' once.mid --rounds 2 --broken-off 4",
            "perform -e 'R> L R L' flat.mid --flat 100", f"perform -e '{RUN}' ramp.mid --ramp 80-200x6",
            "perform -e 'R@c2 L' crash.mid", "perform --hands test.mid",
        ):  # fmt: skip
            _main(words)
        yield folder


def _parts(folder):
    """A MIDI file and a score, each of two drum parts; the second one is the fuller."""
    import mido

    file = mido.MidiFile(type=1)
    for k in range(2):
        notes = [mido.Message("note_on", channel=9, note=38 + 3 * k, velocity=90, time=240) for _ in range(4 + 3 * k)]
        file.tracks.append(mido.MidiTrack([mido.MetaMessage("track_name", name=f"Part {k + 1}"), *notes]))
    file.save(folder / "parts.mid")
    note = (
        "<note><unpitched><display-step>{step}</display-step><display-octave>5</display-octave></unpitched>"
        "<duration>1</duration><lyric><text>{hand}</text></lyric></note>"
    )
    parts = ""
    for k, (steps, hands) in enumerate((("CE", "RLRL"), ("CDCEC", "RLLRLRLRL"))):
        notes = "".join(note.format(step=steps[i % len(steps)], hand=hand) for i, hand in enumerate(hands))
        measure = f"<attributes><divisions>4</divisions></attributes>{notes}"
        parts += f'<part id="P{k}"><measure number="1">{measure}</measure></part>'
    names = "".join(f'<score-part id="P{k}"><part-name>Drums {k + 1}</part-name></score-part>' for k in range(2))
    text = f"<score-partwise><part-list>{names}</part-list>{parts}</score-partwise>"
    (folder / "own.musicxml").write_text(text)


def _main(words):
    from deft_reach.cli.main import main

    assert main(shlex.split(words)) == 0


def ask(capsys, folder, words, number):
    """The answer as JSON, with the file that was written and the exit code; no traceback, whatever is asked."""
    out = folder / f"out-{number}.json"
    words = words.replace("[G]", f"'{GROOVE}'").replace("[R]", f"'{RUN}'").replace("[O]", f"'{OPEN}'")
    args = shlex.split(words.replace("{out}", str(out)))
    code, printed, err = run(capsys, *args, "--json")
    assert code in (0, 1) or "hands" in args[0], f"{args}: {err}"
    found = json.loads(printed) if printed else {}
    found.pop("out", None) if str(found.get("out", "")).startswith(str(folder)) else None
    written = sorted(folder.glob(f"out-{number}*"))
    found["file"] = [path.read_bytes().hex() for path in written]
    for path in written:
        path.unlink()
    found["code"] = code
    for name in ("best", "rungs"):
        if isinstance(found.get(name), list):
            found[name] = {"count": len(found[name]), "rows": found[name]}
    return found


def field(value, path):
    """What is at a path, in all rows of the lists on the way."""
    if isinstance(value, dict) and "rows" in value and set(value) == {"count", "rows"}:
        value = value["count"] if path == ["count"] else value["rows"]
        path = [] if path == ["count"] else path
    if isinstance(value, list):
        return [field(one, path) for one in value]
    if not path:
        # The last digits of a sum are nobody's.
        return round(value, 9) if isinstance(value, float) else value
    return field(value.get(path[0]), path[1:]) if isinstance(value, dict) else None


OPTIONS = [(name, option.flag) for name, verb in VERBS.items() for option in verb.options]


def test_every_option_has_its_case():
    wanted = {row for row in OPTIONS if row[1] not in ELSEWHERE and row[0] not in ("schema",)}
    assert wanted == set(CASES)
    for verb in VERBS.values():
        names = [option.name for option in verb.options]
        assert len(names) == len(set(names)), "no two options of a verb with one destination"


@pytest.mark.parametrize(("verb", "flag"), sorted(CASES))
def test_an_option_does_what_it_says_and_nothing_else(files, capsys, monkeypatch, verb, flag):
    monkeypatch.chdir(files)
    case = CASES[verb, flag]
    before = ask(capsys, files, case.base, 1)
    whole = case.add.split()[0] == verb.split()[0]
    after = ask(capsys, files, case.add if whole else f"{case.base} {case.add}", 2)

    def differ(paths):
        return {path for path in paths.split() if field(before, path.split(".")) != field(after, path.split("."))}

    assert differ(case.changes) == set(case.changes.split())
    assert not differ(case.keeps)


@pytest.mark.parametrize("words", REFUSED)
def test_an_option_that_would_do_nothing_is_refused(files, capsys, monkeypatch, words):
    monkeypatch.chdir(files)
    words = words.replace("[G]", f"'{GROOVE}'").replace("[R]", f"'{RUN}'").replace("[O]", f"'{OPEN}'")
    words = words.replace(" -e", f" -e '{RUN}'") if words.endswith(" -e") else words
    flag = next(word for word in reversed(words.split()) if word.startswith("-") and word != "-" and "'" not in word)
    code, out, err = run(capsys, *shlex.split(words))
    assert code == 2 and out == "" and flag in err and err.count("\n") == 1


def test_every_condition_is_tried():
    for name, verb in VERBS.items():
        for option in verb.options:
            if option.applies:
                asked = [words for words in REFUSED if words.startswith(f"{name} ") and f" {option.flag}" in words]
                assert asked, f"{name} {option.flag}"


@pytest.mark.parametrize(("verb", "flag"), [row for row in OPTIONS if len(row[1]) > 5])
def test_options_are_never_abbreviated(capsys, verb, flag):
    code, out, err = run(capsys, *verb.split(), flag[:-1])
    assert code == 2 and out == "" and "error" not in err and err.count("\n") == 1
    assert flag[:-1] in err or "required" in err


@pytest.mark.parametrize(
    "words",
    [
        "convert roll.txt --tempo 90 between.mid", "convert show.reach --plan storm between.txt",
        "perform roll.txt --rounds 2 between.mid", "take roll.txt --tolerance 20 roll.mid",
        "take --tolerance 20 roll.txt roll.mid",
        "layout roll.txt --move sn --evaluate 60 roll.txt", "kit mirror --out between.json five",
    ],
)  # fmt: skip
def test_options_stand_anywhere(files, capsys, monkeypatch, words):
    monkeypatch.chdir(files)
    if "roll.mid" in words:
        run(capsys, "perform", "roll.txt", "roll.mid")
    code, _, err = run(capsys, *words.split())
    assert code in (0, 1), err
    for path in files.glob("between*"):
        path.unlink()


@pytest.mark.parametrize(
    ("words", "said"),
    [
        ("perform roll.txt x.mid --jitter 1 --seed -1", "--seed is -1; expected 0 to 2147483647"),
        ("perform roll.txt x.mid --jitter 1 --seed 9999999999999", "is not a whole number"),
        ("perform roll.txt x.mid --faster nan", "nan is out of range"),
        ("plan roll.txt --best 0", "--best is 0; expected 1 to 50"),
        ("plan roll.txt --best ²", "'²' is not a whole number"),
        ("analyse roll.txt --tempo 90 --tempo 100", "--tempo is given twice"),
        ("relieve roll.txt --hand R --share -1", "out of range"),
        ("layout roll.txt --move sn --within 1e999", "out of range"),
        ("ladder roll.txt --target 100 --overspeed nan%", "expected percent"),
        ("analyse", "give a pattern"),
    ],
)
def test_values_that_cannot_be_are_refused_with_one_line(files, capsys, monkeypatch, words, said):
    monkeypatch.chdir(files)
    code, out, err = run(capsys, *words.split())
    assert code == 2 and out == "" and said in err and err.count("\n") == 1


def test_numbers_that_are_none_but_in_name_do_no_harm(files, capsys, monkeypatch):
    monkeypatch.chdir(files)
    for flag in ("--faster", "--drift", "--jitter", "--flat", "--latency", "--missed"):
        code, _, err = run(capsys, "perform", "roll.txt", "tiny.mid", flag, "1e-320")
        assert code == 0, err
