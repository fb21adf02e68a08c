"""The notes and marks of one part of a file at their ticks, on the staves of the page."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterator
from dataclasses import replace

from ductus.core.pitch.chord_symbols import transposed_chord
from ductus.core.score.catalogues.instruments import BY_NAME
from ductus.core.score.model.mark_kinds import KINDS
from ductus.core.score.model.note_signs import with_sign
from ductus.core.score.model.records import ClefChange, Mark, Note, Part, Record
from ductus.core.time.note_values import BASE_TICKS, MAX_TUPLET, Tuplet
from ductus.formats.musicxml_read.bars import Bars, Ids
from ductus.formats.musicxml_read.chains import Chain, Ties, apart
from ductus.formats.musicxml_read.losses import Losses
from ductus.formats.musicxml_read.raw import RawMeasure, RawNote, RawPart
from ductus.formats.musicxml_read.spans import LineEnd, lines, spans

STAVES = 2  # of one part; further ones become parts of their own
SHOWN_NAME = 60


class StavesWriter:
    """Writes one part of a file as one part of the page, or several if it has more than two staves."""

    def __init__(self, raw: RawPart, bars: Bars, losses: Losses, ids: Ids) -> None:
        self.raw, self.bars, self.losses, self.ids = raw, bars, losses, ids
        self.ties = Ties(losses)
        self.line_ends: list[LineEnd] = []
        self.brackets: list[tuple[tuple[int, str], Mark]] = []  # line of the file, mark
        self._open: dict[tuple[str, str], RawNote] = {}
        self._nested: set[tuple[str, str]] = set()  # of those that are open
        for bar, measure in enumerate(raw.measures):
            self._collect(bar, measure)
        self.ties.close()

    # --- parts --------------------------------------------------------------------------------

    def parts(self, order: int, names: set[str]) -> list[Part]:
        """The parts of the page, with the clefs that they begin with."""
        first = {staff: clef for m in self.raw.measures[:1] for at, staff, clef in m.clefs if at == 0}
        sings = any(c.lyrics for c in self.ties.chains)
        total = 1 if self.raw.percussion else self.raw.staves
        out: list[Part] = []
        for group in (tuple(range(1, min(total, STAVES) + 1)), *((k,) for k in range(STAVES + 1, total + 1))):
            name = (self.raw.name or f"Part {order + 1}")[:SHOWN_NAME]
            if group[0] > STAVES:
                self.losses.once(f"Staff {group[0]} of {name} is a part of its own.")
                name = f"{name}, staff {group[0]}"
            plain, k = name, 2
            while name in names:
                name, k = f"{plain} {k}", k + 1
            names.add(name)
            known = BY_NAME.get(name.casefold())
            clefs = tuple(first.get(staff, "bass" if staff == STAVES else "treble") for staff in group)
            clefs = (
                ("percussion",) if self.raw.percussion else tuple("treble" if c == "percussion" else c for c in clefs)
            )
            out.append(
                Part(
                    self.part_id(group[0]), name, self.raw.short[:SHOWN_NAME], self.raw.programme, clefs,
                    order + len(out), known.lyrics if known else sings,
                    self.raw.transpose, self.raw.level, self.raw.pan,
                )
            )  # fmt: skip
        if self.raw.percussion and self.raw.staves > 1:
            self.losses.once(f"The staves of {out[0].name} are one, as those of a kit.")
        return out

    def part_id(self, staff: int) -> str:
        """The part of the page that a staff of the file belongs to."""
        return self.raw.id if staff <= STAVES else f"{self.raw.id}{'abcdefghi'[min(staff, 9) - 1]}"

    def home(self, staff: int) -> tuple[str, int]:
        """Part and staff of the page for a staff of the file."""
        if self.raw.percussion:
            return self.raw.id, 1
        return self.part_id(staff), staff if staff <= STAVES else 1

    # --- notes --------------------------------------------------------------------------------

    def _collect(self, bar: int, measure: RawMeasure) -> None:
        homes = self._homes(measure)
        for raw in sorted(measure.notes, key=lambda n: (n.at, n.order)):
            tick = self.bars.tick(bar, raw.at, self.losses, measure.number)
            end = min(self.bars.tick(bar, raw.at + raw.length, self.losses, measure.number), self.bars.ends[bar])
            if end <= tick:
                self.losses.add("note~ behind the end of its bar", measure.number)
                continue
            chain = self.ties.add(self._chain(raw, homes[raw.voice], tick, end, measure.number), raw)
            for line_end in raw.ends:
                self.line_ends.append(LineEnd(tick, end, (raw.staff, raw.voice), line_end, chain, measure.number))
            self._tuplets(raw, chain, bar, measure)

    @staticmethod
    def _homes(measure: RawMeasure) -> dict[str, int]:
        """The staff of each voice: that of most of its notes; the others stand on the other staff."""
        counts: dict[str, Counter[int]] = defaultdict(Counter)
        for note in measure.notes:
            counts[note.voice][note.staff] += 1
        return {voice: max(c, key=lambda s: (c[s], -s)) for voice, c in counts.items()}

    def _chain(self, raw: RawNote, home: int, tick: int, end: int, number: str) -> Chain:
        signs, staff = tuple(raw.signs), raw.staff
        if home != staff and max(home, staff) <= STAVES and not self.raw.percussion:
            signs, staff = with_sign(signs, "cross"), home
        lyrics = {s.verse: s for s in raw.lyrics}
        name = self.ids.new("n")
        return Chain(
            name,
            tick,
            [end - tick],
            staff,
            raw.voice,
            raw.pitch,
            raw.velocity,
            number,
            signs,
            lyrics,
            tuple(raw.grace_notes),
        )

    def _tuplets(self, raw: RawNote, chain: Chain, bar: int, measure: RawMeasure) -> None:
        """Brackets that the file states, where they fit what is written in them; the others are found anew."""
        for number, way, ratio in raw.tuplets:
            key = (raw.voice, number)
            if way == "start":
                self._open[key] = raw
                self._nested.discard(key)
                nest = [k for k in self._open if k[0] == raw.voice]
                if len(nest) > 1:
                    self._nested.update(nest)
                    words = "nested tuplet~ (the notes keep their lengths, brackets are found anew)"
                    self.losses.add(words, measure.number)
                else:
                    raw.ratio = ratio or raw.ratio
            elif way == "stop" and key in self._open:
                first = self._open.pop(key)
                if first in measure.notes and key not in self._nested:
                    self._bracket(first, raw, chain, bar, measure)
                self._nested.discard(key)

    def _bracket(self, first: RawNote, last: RawNote, chain: Chain, bar: int, measure: RawMeasure) -> None:
        start = self.bars.tick(bar, first.at, self.losses, measure.number)
        end = self.bars.tick(bar, last.at + last.length, self.losses, measure.number)
        ratio = first.ratio
        if ratio is None or max(ratio) > MAX_TUPLET or ratio[0] < 2 or last.ratio != ratio or end > self.bars.ends[bar]:
            return
        if (end - start) % ratio[1] or (end - start) // ratio[1] not in BASE_TICKS.values():
            return
        part, staff = self.home(chain.staff)
        mark = Mark(self.ids.new("m"), "tuplet", part, staff, 1, start, end - start, tuplet=Tuplet(*ratio))
        self.brackets.append((chain.line, mark))

    # --- records ------------------------------------------------------------------------------

    def records(self) -> Iterator[Record]:
        """Notes, marks and clefs."""
        by_home: dict[tuple[str, int], list[Chain]] = defaultdict(list)
        for chain in self.ties.chains:
            by_home[self.home(chain.staff)].append(chain)
        placed: dict[str, Note] = {}
        slots: dict[tuple[tuple[int, str], int], int] = {}
        for (part, staff), chains in by_home.items():
            for chain in apart(chains, lambda: self.ids.new("n"), self.losses):
                slots.setdefault((chain.line, chain.tick), chain.slot)
                placed[chain.id] = self._note(chain, part, staff)
        slurred: set[str] = set()
        marks = list(lines(self.line_ends, placed, slurred, self.ids, self.losses))
        for note in placed.values():
            bare = note.grace_notes and note.id not in slurred
            yield replace(note, signs=with_sign(note.signs, "bare-grace")) if bare else note
        for line, mark in self.brackets:
            slot = slots.get((line, mark.tick))
            if slot:
                yield Mark(mark.id, "tuplet", mark.part, mark.staff, slot, mark.tick, mark.ticks, tuplet=mark.tuplet)
        yield from marks
        yield from self._marks()
        yield from self._clefs()

    @staticmethod
    def _note(chain: Chain, part: str, staff: int) -> Note:
        lyrics = tuple(chain.lyrics[v] for v in sorted(chain.lyrics))
        return Note(
            chain.id, part, staff, chain.slot, chain.tick, sum(chain.lengths), chain.pitch, chain.velocity,
            signs=chain.signs, lyrics=lyrics, grace_notes=chain.grace_notes,
        )  # fmt: skip

    def _marks(self) -> Iterator[Mark]:
        """Marks at places, and spans with their two ends."""
        found = []
        for bar, measure in enumerate(self.raw.measures):
            for raw in measure.marks:
                tick = self.bars.tick(bar, raw.at, self.losses, measure.number)
                if raw.kind == "chord" and self.raw.transpose != (0, 0):  # written in the key of its part
                    raw = replace(raw, text=transposed_chord(raw.text, *self.raw.transpose))
                found.append((tick, measure.number, raw))
        seen: dict[tuple[str, str, int, int, str], str] = {}
        for mark in spans(found, self.home, self.ids, self.losses):
            kind = KINDS[mark.kind]
            key = (mark.kind, mark.part, mark.staff, mark.tick, "" if kind.alone else mark.text)
            if key in seen:
                if seen[key] != mark.text:
                    number = self.raw.measures[self.bars.timeline.bar_at(mark.tick).index].number
                    self.losses.add(f"second {kind.words}~ at one place", number)
                continue
            seen[key] = mark.text
            yield mark

    def _clefs(self) -> Iterator[ClefChange]:
        """Changes of clef after the beginning."""
        now: dict[int, str] = {}
        for bar, measure in enumerate(self.raw.measures):
            for at, staff, clef in sorted(measure.clefs, key=lambda c: (c[0], c[1])):
                if self.raw.percussion or clef == "percussion":
                    continue
                tick = self.bars.tick(bar, at, self.losses, measure.number)
                if tick > 0 and now.get(staff) != clef:
                    part, home = self.home(staff)
                    yield ClefChange(self.ids.new("c"), part, home, tick, clef)
                now[staff] = clef
