"""The Climb station: how do I get it to tempo."""

# Long: the runner, its card, the chart and the transport are one state machine.
from __future__ import annotations

import time
from collections.abc import Callable, Sequence
from dataclasses import replace
from datetime import datetime

from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QKeyEvent, QShowEvent
from PySide6.QtWidgets import QHBoxLayout, QWidget

from deft_reach.app.canvas.reach_plan import ReachPlan
from deft_reach.app.canvas.stroke_lane import StrokeLane
from deft_reach.app.canvas.time_axis import TimeAxis
from deft_reach.app.canvas.weave import Weave
from deft_reach.app.climb.ladder_chart import LadderChart
from deft_reach.app.climb.ladder_form import CHUNKS, LAYERS, STRAIGHT, LadderForm
from deft_reach.app.climb.now_card import NOTE_KEY, VERDICT_KEYS, NowCard
from deft_reach.app.shell.station import Station
from deft_reach.app.shell.transport import Transport
from deft_reach.app.text.numbers import bpm
from deft_reach.app.text.words import VERDICT_WORDS, say, sentence
from deft_reach.app.widgets.choices import level_box
from deft_reach.app.widgets.panel import Panel
from deft_reach.app.widgets.plain_text import PlainLabel
from deft_reach.core.document import Plan, read_text, standing
from deft_reach.core.model.pattern import Pattern
from deft_reach.core.notation.stroke_text import StrokeTextError
from deft_reach.core.practice.cautions import ALWAYS, HEAT, hearing_words
from deft_reach.core.practice.chunks import build_chunks
from deft_reach.core.practice.day import (
    CHUNK,
    DUE,
    RUNGS,
    SONG,
    WARM_UP,
    Item,
)
from deft_reach.core.practice.ladder import LadderError, build_ladder, equivalents, room_above, seconds_of
from deft_reach.core.practice.own_speed import evidence_of
from deft_reach.core.practice.progress_log import WHOLE
from deft_reach.core.practice.ramp import Ramp
from deft_reach.core.practice.resuming import lowest_tried, nearest_rung, resume
from deft_reach.core.practice.runner import Runner, efforts
from deft_reach.core.practice.stages import Stage, build_up, chain_of
from deft_reach.core.session import Session
from deft_reach.core.session.plan_view import PlanView
from deft_reach.core.session.stage_view import StageView
from deft_reach.store.log_entries import Attempt
from deft_reach.store.practice_log import PracticeLog

#: Plans in a chain are played so often each, then the next.
CHAIN_TIMES = 4
#: A verdict counts when this part of once through was played, or could have been.
PLAYED = 0.8
#: So many of the newest attempts say where a ladder is taken up again.
TRIES = 400
#: A groove is played no more often than this before the figure that it leads into.
MOST_GROOVES = 7
#: Without playing for so long (seconds), a break was taken.
REST_S = 90.0


class ClimbStation(Station):
    """The ladder and its making on the left; what to play now, and the arms that play it, on the right."""

    def __init__(self, session: Session, log: PracticeLog, transport: Transport) -> None:
        # Long: widgets in the order in which they are laid out.
        super().__init__(session)
        self.log, self.transport = log, transport
        self.view = StageView()
        self.runner: Runner | None = None
        #: What is climbed: the plan in view, or a chain made into one.
        self.climbed: Plan | None = None
        self.stages: tuple[Stage, ...] = ()
        #: Every stage there could be, those that are ticked off too.
        self.offered: tuple[Stage, ...] = ()
        self.clock: Callable[[], float] = time.monotonic
        self.now: Callable[[], datetime] = lambda: datetime.now().astimezone()
        self.made_from: object = None
        self.rounds_played = 0
        #: The ramp that is being played; None where a rung is.
        self._ramp: Ramp | None = None
        self._last_position: float | None = None
        self._playing_since: float | None = None
        self.seconds_played = 0.0
        self._last_active: float | None = None
        self.minutes = 0.0
        #: Minutes that today's plan has for what is climbed, and how many were played before.
        self.given: float | None = None
        self._given_from = 0.0
        self.judged_at = self.clock()
        #: Why the ladder begins where it does.
        self._why = ""
        self.form = LadderForm()
        self.chart = LadderChart()
        self.card = NowCard()
        self.axis = TimeAxis(self.view, self)
        self.plan = ReachPlan(self.view)
        self.plan.setMinimumSize(280, 190)
        self.weave = Weave(self.view, self.axis)
        self.lane = StrokeLane(self.view, self.axis)
        # What is to be played now comes first where there is little room.
        self.weave.setMinimumSize(220, 112)
        across, down = Qt.Orientation.Horizontal, Qt.Orientation.Vertical
        self.plan_panel = Panel("Reach plan", self.plan)
        ladder = Panel("Ladder", self.form)
        left = self.split(down, "climbLadder", [ladder, self.plan_panel], [420, 280], [1, 1])
        self.card_panel = Panel("Now", self.card, "", self._ears())
        self.chart_panel = Panel("Rungs", self.chart, "click one to go there")
        threads = QWidget()
        column = QHBoxLayout(threads)
        column.setContentsMargins(0, 0, 0, 0)
        sheet = self.split(down, "climbThreads", [self.weave, self.lane], [180, 135], [1, 0])
        column.addWidget(sheet)
        self.weave_panel = Panel("This stage", threads)
        parts = [self.card_panel, self.chart_panel, self.weave_panel]
        right = self.split(down, "climbNow", parts, [176, 150, 376], [0, 1, 3])
        self.fill(self.split(across, "climbAcross", [left, right], [352, 840], [1, 3]))
        self.form.changed.connect(self.build)
        self.form.rule_changed.connect(self._new_rule)
        self.chart.picked.connect(self.go_to)
        self.card.judged.connect(self.judge)
        self.card.play.connect(self.play)
        self.card.rested.connect(self._rested)
        self.card.ramp.connect(self.play_ramp)
        self.card.note.returnPressed.connect(self.chart.setFocus)
        self.view.moved.connect(self._moved)
        self.view.refused.connect(lambda: self.weave_panel.set_note("A stage is made from the plan: edit that."))
        transport.changed.connect(self._transport_changed)
        # The rounds are over a moment after the last sample; stopping is not done from within the transport's frame.
        self._stop_soon = QTimer(self)
        self._stop_soon.setSingleShot(True)
        self._stop_soon.setInterval(0)
        self._stop_soon.timeout.connect(transport.stop)
        self.follow()

    def _ears(self) -> QWidget:
        """What is played on, for the ears' daily dose."""
        corner = QWidget()
        row = QHBoxLayout(corner)
        row.setContentsMargins(0, 0, 0, 0)
        self.level = level_box()
        self.dose = PlainLabel()
        self.dose.setObjectName("hint")
        row.addWidget(self.dose)
        row.addWidget(self.level)
        self.level.currentIndexChanged.connect(lambda _: self.say_dose())
        return corner

    @property
    def played(self) -> PlanView:
        """What is in view here is played, not the plan."""
        return self.view

    def first_focus(self) -> QWidget:
        return self.chart

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.say_dose()

    # --- the ladder -------------------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Another plan, or the plan changed: a ladder of its own."""
        plan = self.session.plan
        chain = self.session.document if self.form.chain is not None else None
        key = (plan, self.session.kit, self.session.player, self.session.text, self._groove(), chain)
        if key != self.made_from:
            self.made_from = key
            self.build()

    def _groove(self) -> tuple[str | None, int]:
        """What the plan is played between, and how often before it: the section before it in a song, where there is
        one.
        """
        document, plan = self.session.document, self.session.plan
        for song in document.songs:
            ids = [section.plan for section in song.sections]
            if plan is not None and plan.id in ids and ids.index(plan.id) > 0:
                section = song.sections[ids.index(plan.id) - 1]
                before = document.plan(section.plan)
                if before.kit == plan.kit:
                    return document.score(before.pattern).text, min(section.times, MOST_GROOVES)
        return None, 1

    def _subject(self) -> tuple[Plan, Pattern] | None:
        """What is climbed: the plan in view, or a song's plans in a chain, as a plan of their own."""
        session, plan, chosen = self.session, self.session.plan, self.form.chain
        if plan is None or chosen is None:
            pattern = session.pattern()
            return None if plan is None or pattern is None else (plan, pattern)
        document = session.document
        song = document.song(chosen)
        plans = [document.plan(id) for id in dict.fromkeys(section.plan for section in song.sections)]
        tempo = song.tempo or min((p.tempo for p in plans), default=plan.tempo)
        text = chain_of(document, plans, CHAIN_TIMES, tempo)
        kit = document.kit(plans[0].kit)
        own = replace(plans[0], id=f"chain {song.id}", name=f"{song.name}, chained", tempo=tempo, repeat=True)
        return own, read_text(text, kit)

    def build(self) -> None:
        """The stages and rungs of what is climbed, and where the log says to begin."""
        # Long: what is climbed, its stages, its rungs and where they begin follow from each other.
        session, document = self.session, self.session.document
        if self.transport.session is self.view:
            self.transport.stop()
        self.form.show_choices([(song.name, song.id) for song in session.document.songs if song.sections])
        self.runner, self.stages, self.offered, self.climbed = None, (), (), None
        try:
            subject = self._subject()
        except (ValueError, StrokeTextError) as error:
            say(self.form.words, sentence(error), "error")
            self.card.change.setText("")
            self._show()
            return
        plan, pattern = subject if subject is not None else (session.plan, None)
        self.climbed = plan
        chained = self.form.chain is not None
        if (
            plan is not None
            and pattern is not None
            and pattern.strokes
            and not pattern.unassigned
            and not pattern.faults
        ):
            try:
                what = (pattern, document.kit(plan.kit), document.player(plan.player), plan.tempo)
                way = self.form.way_chosen
                if way == CHUNKS and not chained:
                    self.offered = build_chunks(*what, repeat=plan.repeat, weights=plan.weights)
                else:
                    groove, times = self._groove()
                    self.offered = build_up(
                        *what, repeat=plan.repeat, weights=plan.weights, groove=groove, groove_times=times,
                        straight=chained or way == STRAIGHT, between=not chained,
                    )  # fmt: skip
                off = self.form.ticked_off(plan.id)
                self.stages = tuple(s for s in self.offered if s.name not in off or s is self.offered[-1])
                tries = self.log.rung_tries(document.practice_id(plan.id), TRIES)
                clean = max((t.tempo for t in tries if t.verdict == "clean" and t.stage in WHOLE), default=None)
                rungs = build_ladder(
                    self.stages, plan.tempo, start=self.form.begin or lowest_tried(tries, plan.tempo),
                    step=self.form.steps,
                    overspeed=self.form.overspeed, repeats=self.form.times, minutes=self.form.in_all,
                    each=way == CHUNKS, past_limit=self.form.past.isChecked(), rule=self.form.moving,
                    least_top=room_above(clean),
                )  # fmt: skip
                begin = resume(rungs, self.stages, tries, self.now().date(), self.form.moving)
                self.runner = Runner(rungs, self.stages, self.form.moving, begin.at, begin.warm_up_to)
                self._why = begin.why
                minutes = seconds_of(rungs, self.stages, self.form.moving) / 60
                top, ends = rungs[-1].tempo, ""
                if top < plan.tempo:
                    ends = f"It ends at your limit, {bpm(top)}: to go on to {bpm(plan.tempo)}, tick Past my limit."
                self.form.say_equivalents(equivalents(pattern, plan.tempo), minutes, ends)
            except LadderError as error:
                say(self.form.words, sentence(error), "error")
        elif plan is not None:
            say(
                self.form.words,
                "Only a plan that can be read, with a hand for every stroke, can be climbed.",
                "error",
            )
        self.card.change.setText(self._welcome())
        self._show()

    def take_up(self, item: Item) -> None:
        """Begin an item of the day: its plan or song, its way of building up, the rung of its tempo, its minutes."""
        way = CHUNKS if item.what == CHUNK else LAYERS if self.form.way_chosen == CHUNKS else self.form.way_chosen
        self.form.choose(way, item.plan if item.what == SONG else None)
        self.given, self._given_from = item.minutes, self.minutes
        runner = self.runner
        if runner is None:
            return
        if item.what != RUNGS and item.tempo is not None:
            at = nearest_rung(runner.rungs, self.stages, item.tempo, item.stage)
            # What is played to warm up, or because it held, asks for one clean try.
            runner.warm_up_to = at + 1 if item.what in (WARM_UP, DUE) else runner.warm_up_to
            self.go_to(at)
        self.card.change.setText(f"{item.why[:1].upper()}{item.why[1:]}. {item.minutes:.0f} min.")
        self.chart.setFocus()

    def _given_is_over(self) -> str:
        """What to say when the minutes that today's plan has for this are played; said once."""
        if self.given is None or self.minutes - self._given_from < self.given:
            return ""
        words = f" That was {self.given:.0f} min, what today's plan has for it: Today (Ctrl+8) says what is next."
        self.given = None
        return words

    def _welcome(self) -> str:
        if self.runner is None:
            return ""
        words = self.runner.rule.in_words()
        return f"{self._why}. {words}" if self._why else words

    def _new_rule(self) -> None:
        if self.runner is not None:
            if self.form.in_all is not None:
                # Minutes are by the rule.
                self.build()
            self.runner.rule = self.form.moving
            self.card.change.setText(self.runner.rule.in_words())

    def go_to(self, number: int) -> None:
        if self.runner is not None:
            self.transport.stop()
            self.runner.go_to(number)
            self.rounds_played, self.seconds_played = 0, 0.0
            self._show()

    def _show(self) -> None:
        runner, plan = self.runner, self.climbed
        if runner is not None and plan is not None:
            stage, document = runner.stage, self.session.document
            self.view.show_stage(
                stage.name, stage.text, document.kit(plan.kit), document.player(plan.player), plan, runner.rung.tempo,
                runner.rung.repeats > 1 or stage.report.repeat,
            )  # fmt: skip
            self.form.show_stages(self.offered, self.offered.index(stage), plan.id)
            self.weave_panel.set_note(stage.why)
        else:
            self.form.show_stages((), 0, "")
        playing = self.transport.playing and self.transport.session is self.view
        self.card.show_runner(runner, playing, self.rounds_played)
        self.chart.show_runner(runner)
        self.say_dose()

    # --- playing ----------------------------------------------------------------------------------------------

    def play(self) -> None:
        """Play the rung with its repeats, or stop."""
        if self.runner is None:
            return
        if self.transport.playing:
            self.transport.stop()
            return
        self._start()

    def _start(self, tempi: Sequence[float] = ()) -> None:
        """Play the stage; what is chosen elsewhere for the click stays so, and so do tempi."""
        self._note_rest()
        self.rounds_played, self._last_position = 0, None
        click, self.transport.click = self.transport.click, self.card.click.isChecked()
        self.transport.tempi = tuple(tempi)
        self.transport.start()
        self.transport.click, self.transport.tempi = click, ()

    def play_ramp(self) -> None:
        """Play the stage from the first tempo of its ladder to home, a little faster every round; or stop."""
        runner, plan = self.runner, self.climbed
        if runner is None or plan is None:
            return
        if self.transport.playing:
            self.transport.stop()
            return
        first = min(rung.tempo for rung in runner.rungs)
        self._ramp = Ramp(first, plan.tempo, self.card.ramp_rounds.value())
        self._start(self._ramp.tempi.tolist())
        if self.transport.playing:
            self.card.tempo.setText(f"{first:.0f} BPM")
        else:
            self._ramp = None

    def _ramp_ended(self) -> None:
        """It was played, and counts for the day, but it is no verdict on the rung."""
        ramp, self._ramp = self._ramp, None
        assert ramp is not None
        self.minutes += self.seconds_played / 60
        self.rounds_played, self.seconds_played = 0, 0.0
        self._show()
        self.card.change.setText(
            f"That was a ramp from {ramp.start:.0f} to {ramp.end:.0f} BPM. Recorded, Log says where it gave out: "
            f"check the take as the ramp {ramp.start:g}-{ramp.end:g}x{ramp.rounds}."
        )

    def _moved(self) -> None:
        """Count how often it has been through."""
        position, runner = self.view.position, self.runner
        if position is None or runner is None:
            return
        if self._last_position is not None and position < self._last_position - 1e-6:
            self.rounds_played += 1
            if self._ramp is None and self.rounds_played >= runner.rung.repeats:
                self._stop_soon.start()
            self.card.show_runner(runner, True, self.rounds_played)
            if self._ramp is not None:
                tempo = self._ramp.tempi[min(self.rounds_played, self._ramp.rounds - 1)]
                self.card.tempo.setText(f"{tempo:.0f} BPM")
        self._last_position = position

    def _transport_changed(self) -> None:
        if self.transport.session is not self.view:
            return
        now = self.clock()
        if self.transport.playing:
            self._playing_since = now
        elif self._playing_since is not None:
            self.seconds_played += max(0.0, now - self._playing_since)
            self._playing_since = None
            self._last_active = now
            if self._ramp is not None:
                self._ramp_ended()
                return
        if self.runner is not None:
            self.card.show_runner(self.runner, self.transport.playing, self.rounds_played)

    def _note_rest(self) -> None:
        if self.runner is not None and self._last_active is not None:
            away = self.clock() - self._last_active
            if away >= REST_S:
                self.runner.rest(away)

    def _rested(self) -> None:
        if self.runner is not None:
            self.runner.rest(REST_S)
            self._show()

    # --- verdicts ---------------------------------------------------------------------------------------------

    def keyPressEvent(self, event: QKeyEvent) -> None:
        verdict = VERDICT_KEYS.get(event.text())
        if verdict is not None and self.runner is not None:
            self.judge(verdict)
        elif event.text() == NOTE_KEY and self.card.note.isEnabled():
            self.card.note.setFocus()
        elif event.key() == Qt.Key.Key_Space:
            self.play()
        else:
            super().keyPressEvent(event)

    def judge(self, verdict: str) -> None:
        """Take a verdict on the present rung: it is logged, and the rule says what follows."""
        runner, plan = self.runner, self.climbed
        if runner is None or plan is None:
            return
        self.transport.stop()
        rung, stage = runner.rung, runner.stage
        # Played without the app's sound, it took as long as it takes, and no longer than there was time for.
        once = stage.report.summary.duration * stage.report.tempo / rung.tempo
        passed = self.clock() - self.judged_at
        seconds = self.seconds_played or min(once * rung.repeats, passed)
        if seconds < PLAYED * once:
            self.card.change.setText(
                f"That was {passed:.0f} s since the last verdict, and once through takes {once:.0f} s: it counts "
                "when it was played. To another rung: click it."
            )
            return
        self.judged_at = self.clock()
        self._log(verdict, seconds)
        move = runner.take(verdict, seconds)
        self.minutes += seconds / 60
        self.rounds_played, self.seconds_played = 0, 0.0
        self._last_active = self.clock()
        words = f"{VERDICT_WORDS[verdict]}: {move.why}."
        if self.form.minutes.value() and self.minutes >= self.form.minutes.value():
            words += f" That was {self.minutes:.0f} min of playing, the time you set: stop here for today."
        self.card.change.setText(words + self._given_is_over())
        self._show()

    def _log(self, verdict: str, seconds: float) -> None:
        runner, plan = self.runner, self.climbed
        assert runner is not None and plan is not None
        rung, stage = runner.rung, runner.stage
        evidence = evidence_of(stage.report, rung.tempo, verdict == "clean")
        # A chain is no plan of the document: it was never committed as one.
        commitment = standing(self.session.document, plan)
        load = {one.limb: round(one.effort * seconds, 2) for one in efforts(stage.report, rung.tempo)}
        entry = Attempt(
            self.now().isoformat(timespec="seconds"), self.session.document.practice_id(plan.id), plan.name,
            stage.text, stage.name, rung.tempo, verdict,
            rung.repeats, round(seconds, 2), plan.tempo, stage.tempo_limit,
            None if evidence is None else evidence.pace, "" if evidence is None else evidence.held_by, load,
            self.card.note.text().strip(), committed=commitment.date if commitment is not None else "",
            commitment=commitment.id if commitment is not None else "",
        )  # fmt: skip
        self.card.note.clear()
        if self.log.add(entry):
            self.card_panel.set_note("; ".join(self.log.news()))
        else:
            self.card_panel.set_note(self.log.trouble_in_words)

    def say_dose(self) -> None:
        level = float(self.level.currentData())
        minutes = max(self.minutes, self.log.minutes_on(self.now().date()))
        self.dose.setText(hearing_words(level, minutes).partition(" (")[0])
        self.dose.setToolTip(f"{hearing_words(level, minutes)} {HEAT} {ALWAYS}")
