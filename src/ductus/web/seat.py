"""One browser at a desk: its pen, its recording, and what each of its messages leads to.

Everything here runs in a worker thread under the desk's lock; nothing waits for the network.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import replace

from ductus.app.desk import Desk
from ductus.app.recording import LivePage, Recording, RecordPlan, keep
from ductus.core.entry.events import Command, Event, KeyDown, KeyUp, Pedal, Wait
from ductus.core.entry.line import sentence
from ductus.core.entry.machine import advance_entry, fitted, left_in_bar
from ductus.core.entry.state import EntryState, StepValue
from ductus.core.entry.writing import classes_at_pen, spell
from ductus.core.errors import BadInput, DuctusError, Stale
from ductus.core.performance.takes import SUSTAIN, Heard
from ductus.core.pitch.pitches import pitch_words
from ductus.core.reading.figures import length_words
from ductus.core.score.changes import Change
from ductus.core.score.edits import count_words
from ductus.core.score.piece import Piece
from ductus.core.score.records import Note
from ductus.core.score.selection_edits import edit_notes, paste, repeat, select
from ductus.core.time.bars import beat_number, mixed
from ductus.web import schemas as s
from ductus.web.reading_side import Job, decide_doubt, set_reading, write_kept_take, write_take

PEDAL_DOWN = 64  # MIDI 1.0 detailed specification: 64 and above is on
Sender = Callable[[s.Out], None]


class Seat:
    """The state of one connection."""

    def __init__(self, desk: Desk, send: Sender, broadcast: Sender) -> None:
        """``send`` reaches this browser, ``broadcast`` all browsers at the desk."""
        self.desk, self.send, self.broadcast = desk, send, broadcast
        first = desk.piece.ordered_parts()[0]
        keys = next((p for p in desk.piece.ordered_parts() if p.staves > 1), first)
        beat = desk.piece.timeline.bar(0).meter
        step = StepValue("eighth" if beat.unit >= 8 else "quarter")
        self.state = EntryState(keys.id, tick=min(desk.last_place, desk.piece.end), step=step)
        self.recording: Recording | None = None
        self.live: LivePage | None = None
        self.clock = (0, 0.0)  # event time and monotonic seconds of one moment
        self.jobs: list[Job] = []
        self.journal: list[tuple[Heard, bool]] = []
        self.wake_us: int | None = None
        self.due_us: int | None = None  # event time at which the next Wait is due
        self.now_us = 0
        self.pedal_down = False
        self.clipboard: list[Note] = []
        self.near_bar = 0
        self.known: set[str] = set()  # keys of the systems that this browser has

    # --- opening ------------------------------------------------------------------------

    def open(self) -> None:
        """Say everything that a browser needs at the start."""
        self.desk.reach(self.state.tick)
        self.near_bar = self.desk.piece.timeline.bar_at(self.state.tick).index
        self.send(self.state_out())
        self.send(sheet_out(self.desk))
        self.send(self.pen_out())

    def handle(self, message: s.ClientMessage) -> None:
        """Do what a message asks; errors become words for the browser."""
        with self.desk.lock:
            try:
                self._dispatch(message)
            except Stale as error:
                self.send(s.ProblemOut(message=str(error), stale=True))
                self.send(self.state_out())
                self.send(sheet_out(self.desk))
            except DuctusError as error:
                self.send(s.ProblemOut(message=str(error)))

    def _dispatch(self, message: s.ClientMessage) -> None:
        match message:
            case s.KeysIn():
                for heard in message.events:
                    self._hear(heard, message.epoch_us, message.only_sound)
            case s.CommandIn():
                self._enter(Command(message.name, message.argument, message.at_us))
            case s.SelectIn():
                self._select(message)
            case s.EditIn():
                self._edit(message)
            case s.HistoryIn():
                self._travel(message)
            case s.RecordStartIn():
                self._record(message)
            case s.RecordStopIn():
                self._stop(message)
            case s.TakeReadIn():
                self.jobs.append(write_kept_take(self.desk, message))
            case s.ReadingSetIn():
                self.jobs.append(set_reading(self.desk, message))
            case s.DoubtIn():
                self.jobs.append(decide_doubt(self.desk, message))
            case s.ViewIn():
                self.near_bar = message.bar

    # --- keys -----------------------------------------------------------------------------

    def _hear(self, heard: s.HeardIn, epoch_us: int, only_sound: bool) -> None:
        raw = Heard(heard.at_us, heard.kind, heard.key, heard.value, heard.channel)
        self.journal.append((replace(raw, time_us=epoch_us + heard.at_us), self.state.down))
        if self.recording is not None:
            self.recording.hear(raw)
        elif only_sound:
            return
        elif heard.kind == "down":
            self._enter(KeyDown(heard.at_us, heard.key, max(heard.value, 1)))
        elif heard.kind == "up":
            self._enter(KeyUp(heard.at_us, heard.key))
        elif heard.key == SUSTAIN:
            down = heard.value >= PEDAL_DOWN
            if down != self.pedal_down:
                self.pedal_down = down
                self._enter(Pedal(heard.at_us, down))

    def waited(self) -> None:
        """The time that the last event asked for is over."""
        with self.desk.lock:
            if self.due_us is not None:
                self._enter(Wait(self.due_us))

    def _enter(self, event: Event) -> None:
        before = self.state
        outcome = advance_entry(before, event, self.desk.piece)
        self.wake_us = outcome.wake_us
        if outcome.wake_us is not None:
            now = event.time_us if not isinstance(event, Command) or event.time_us else self.now_us
            self.now_us = now
            self.due_us = now + outcome.wake_us
        self.state = outcome.state
        if outcome.change:
            self._apply(outcome.change)
        if self.state.tick != before.tick:
            self.near_bar = self.desk.piece.timeline.bar_at(self.state.tick).index
            if self.desk.reach(self.state.tick) and not outcome.change:
                self.broadcast(sheet_out(self.desk))
        if self.state != before:
            self.send(self.pen_out())
        if outcome.say:
            self.send(s.SayOut(text=outcome.say))

    def flush_journal(self) -> None:
        """Write what was heard since the last time."""
        heard, self.journal = self.journal, []
        if heard:
            self.desk.write_journal(heard)

    # --- edits ------------------------------------------------------------------------------

    def _apply(self, change: Change, base: int | None = None) -> None:
        if not change:
            return
        self.desk.apply(change, base)
        self._show_edit()

    def _show_edit(self) -> None:
        self.desk.reach(self.state.tick)
        self.broadcast(self.state_out())
        self.broadcast(sheet_out(self.desk))

    def _travel(self, message: s.HistoryIn) -> None:
        move = self.desk.undo if message.type == "undo" else self.desk.redo
        change = move(message.base)
        word = "Undone" if message.type == "undo" else "Done again"
        if change is None:
            self.send(s.SayOut(text="Nothing to undo" if message.type == "undo" else "Nothing to do again"))
            return
        self.state = fitted(self._follow(change, message.type), self.desk.piece)
        self._show_edit()
        self.send(self.pen_out())
        self.send(s.SayOut(text=f"{word}: {change.sentence}"))

    def _follow(self, change: Change, direction: str) -> EntryState:
        """The pen goes where the change was, when it was in the pen's own voice."""
        line = self.state.line
        gone = [b for b, a in change.rows if isinstance(b, Note) and a is None and b.line == line]
        come = [a for b, a in change.rows if isinstance(a, Note) and b is None and a.line == line]
        state = self.state.fresh()
        if direction == "undo" and gone and not come:
            return replace(state, tick=min(n.tick for n in gone))
        if direction == "redo" and come and not gone:
            return replace(state, tick=max(n.end for n in come))
        return state

    # --- selections ---------------------------------------------------------------------------

    def _select(self, message: s.SelectIn) -> None:
        ids = select(self.desk.piece, message.what, self.state.line, self.state.tick, message.ids)
        self.send(s.SelectionOut(ids=ids))
        notes = [self.desk.piece.notes[i] for i in ids]
        if not notes:
            self.send(s.SayOut(text="Nothing there to select"))
            return
        notes.sort(key=lambda n: (n.tick, n.pitch.midi))
        few = " and ".join(pitch_words(n.pitch) for n in notes[:4])
        where = self.desk.piece.timeline.place_words(notes[0].tick)
        one_chord = len({(n.tick, n.ticks) for n in notes}) == 1
        if one_chord:
            text = f"{few}, {length_words(notes[0].ticks)}, {where}"
        else:
            text = f"{count_words(len(notes), 'note')} selected: {few if len(notes) <= 4 else f'from {where}'}"
        if message.what in ("previous", "next"):
            self._enter(Command("place", f"{notes[0].part} {notes[0].staff} {notes[0].tick}", 0))
        self.send(s.SayOut(text=text))

    def _edit(self, message: s.EditIn) -> None:
        piece = self.desk.piece
        notes = [piece.notes[i] for i in message.ids if i in piece.notes]
        if message.name in ("copy", "cut"):
            self.clipboard = notes
        if message.name == "copy":
            self.send(s.SayOut(text=f"{count_words(len(notes), 'note')} copied"))
            return
        if message.name == "paste":
            change = paste(piece, self.clipboard, self.state.line, self.state.tick)
        elif message.name == "repeat":
            if not notes:
                raise BadInput("Select the bars to repeat first; nothing was changed.")
            change = repeat(piece, notes, int(message.argument) if message.argument.isdigit() else 1)
        else:
            name = "delete" if message.name == "cut" else message.name
            change = edit_notes(piece, name, message.ids, message.argument)
        self._apply(change, message.base)
        self.state = fitted(self.state, self.desk.piece)
        kept = [i for i in message.ids if i in self.desk.piece.notes]
        self.send(s.SelectionOut(ids=kept))
        self.send(s.SayOut(text=change.sentence if change else "That changes nothing"))

    # --- recording ----------------------------------------------------------------------------

    def _record(self, message: s.RecordStartIn) -> None:
        part = self.desk.piece.part(self.state.part)
        staff = message.staff if part.staves > 1 else 1
        plan = RecordPlan(
            part.id, staff, message.bar, message.qpm, message.count_in, message.shortest, message.split, message.tuplets
        )
        self.recording = Recording(plan, message.origin_us)
        self.clock = (message.now_us, time.monotonic())
        self.live = LivePage(self.desk, self.recording) if plan.qpm is not None else None
        self.state = replace(self.state, held=())
        self.send(s.RecordingOut(going=True))

    def live_step(self) -> None:
        """Show what was played up to now."""
        with self.desk.lock:
            if self.live is None or self.recording is None or not self.recording.heard:
                return
            event_us, seconds = self.clock
            now = event_us + round((time.monotonic() - seconds) * 1e6) - self.recording.origin_us
            self.live.advance(max(now, self.recording.last_us))
            pulses = self.live.reading.pulses
            tick = max(round(pulses.tick_at(now)), 0) + self.live.place.start
            self.near_bar = self.desk.piece.timeline.bar_at(tick).index
            self.broadcast(sheet_out(self.desk))

    def _stop(self, message: s.RecordStopIn) -> None:
        recording, self.recording, self.live = self.recording, None, None
        if recording is None:
            raise BadInput("No recording is going on.")
        row = keep(self.desk, recording, message.end_us)
        if row is None:
            text = "Nothing was heard, so nothing was written."
        elif message.drop:
            self.desk.drop_take(row.id)
            text = "The take was dropped from the page; it stays among the takes."
        else:
            text = f"{row.name} is kept and is being read"
            piece = self.desk.piece
            self.jobs.append(write_take(self.desk, row, recording.place(piece, row.id), recording.choices(piece)))
        if row is None or message.drop:
            self.desk.end_preview()
            self.broadcast(sheet_out(self.desk))
        self.broadcast(self.state_out())
        self.send(s.RecordingOut(going=False, take=row.id if row else None))
        self.send(s.SayOut(text=text, urgent=True))

    # --- long work ------------------------------------------------------------------------------

    def snapshot(self) -> tuple[int, Piece]:
        """The revision and the piece that a job works on."""
        with self.desk.lock:
            return self.desk.history.revision, self.desk.piece

    def write_if(self, revision: int, change: Change) -> bool:
        """Make the change that a job worked out; False if the piece has changed since, and then nothing is done."""
        with self.desk.lock:
            if self.desk.history.revision != revision:
                return False
            if change:
                self._apply(change, revision)
                self.state = fitted(self.state, self.desk.piece)
                self.send(self.pen_out())
            else:
                self.desk.end_preview()
                self.broadcast(sheet_out(self.desk))
            self.send(s.SayOut(text=change.sentence if change else "That reads the same", urgent=True))
            return True

    def close(self) -> None:
        """The browser left: a recording that was going on is kept as a take, the journal is written."""
        with self.desk.lock:
            if self.recording is not None and self.recording.heard:
                recording, self.recording = self.recording, None
                keep(self.desk, recording, recording.last_us + recording.origin_us)
                self.desk.end_preview()
            self.flush_journal()
            self.desk.remember_place(self.state.tick)

    # --- what the browser sees ------------------------------------------------------------------

    def state_out(self) -> s.StateOut:
        """Header and margin."""
        desk, piece = self.desk, self.desk.piece
        tempo = piece.tempo_at(self.state.tick)
        return s.StateOut(
            revision=desk.history.revision,
            undo=desk.history.undo,
            redo=desk.history.redo,
            facts=s.FactsView.model_validate(piece.facts),
            parts=[s.PartView.model_validate(p) for p in piece.ordered_parts()],
            meter=str(piece.timeline.bar_at(self.state.tick).meter),
            beats_per_minute=tempo.bpm,
            beat=("dotted " if tempo.beat.dots else "") + tempo.beat.base,
            tempo_text=tempo.text,
            takes=[s.TakeView.model_validate(t) for t in desk.takes()],
        )

    def pen_out(self) -> s.PenOut:
        """The pen and the choices of the line."""
        state, piece = self.state, self.desk.piece
        part, bar = piece.part(state.part), piece.timeline.bar_at(state.tick)
        pitches = [spell(piece, state, h.key) for h in sorted(state.held, key=lambda h: h.key)]
        step = state.step
        return s.PenOut(
            down=state.down,
            part=state.part,
            part_name=part.name,
            staff=state.staff,
            staves=part.staves,
            voice=state.voice,
            tick=state.tick,
            bar=bar.index,
            bar_start=bar.start,
            bar_number=piece.timeline.number_of(bar.index),
            beat=mixed(beat_number(bar, state.tick)),
            left=left_in_bar(state, piece),
            base=step.base,
            dots=step.dots,
            tuplet=(step.tuplet.actual, step.tuplet.normal) if step.tuplet else None,
            dots_latched=step.dots_latched,
            tuplet_latched=step.tuplet_latched,
            step_ticks=step.ticks,
            step_words=step.words,
            when=state.when,
            policy=state.policy,
            pass_start=piece.timeline.place_words(state.pass_start),
            pending=[pitch_words(p) for p in pitches],
            pending_diatonic=[p.diatonic for p in pitches],
            way=state.way,
            line=[s.PhraseOut.model_validate(p) for p in sentence(state, piece)],
            allowed=sorted(classes) if (classes := classes_at_pen(piece, state)) is not None else None,
            over=state.over,
            clicks=state.clicks,  # type: ignore[arg-type]
            clef=part.clefs[state.staff - 1],
        )

    def near_system_is_due(self) -> bool:
        """Does the system at the pen wait to be engraved (so that it should go out before anything else)?"""
        sheet = self.desk.sheet
        k = sheet.next_to_show(self.near_bar, self.known)
        return k is not None and sheet.systems[k].bars.first - 1 <= self.near_bar <= sheet.systems[k].bars.last + 1

    def engrave_one(self) -> s.SystemOut | None:
        """Engrave the waiting system nearest to where this browser looks; None when all are up to date."""
        with self.desk.lock:
            sheet = self.desk.sheet
            k = sheet.next_to_show(self.near_bar, self.known)
            if k is None:
                return None
            view = sheet.engrave(k)
            return s.SystemOut(
                index=k,
                key=view.key,
                svg=view.svg,
                first=view.first,
                last=view.last,
                bars=tuple(s.BarOut.model_validate(b) for b in view.bars),
                columns=view.columns,
            )


def sheet_out(desk: Desk) -> s.SheetOut:
    """All systems and which of them are up to date."""
    return s.SheetOut(
        systems=[
            s.SystemRef(first=x.bars.first, last=x.bars.last, key=None if x.dirty else x.key)
            for x in desk.sheet.systems
        ]
    )
