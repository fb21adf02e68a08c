"""How well performances are read: our own simulated players over open scores, a table by stage and by gap class.

    make bench-reading                # all cases, prints the tables
    python bench/reading.py --few     # the handful that the tests hold to floors
    python bench/reading.py --people FOLDER   # MIDI files of people's playing, which do not ship

The scores come from the corpus that music21's package carries, the players from tools/simulated_player.py, whose habits
differ from any yardstick's. A note is right when its place (quarters from the first bar line), written length, staff
and name are exactly those of the score.
"""

from __future__ import annotations

import argparse
import itertools
import json
import random
import re
import statistics
import sys
import time
import zlib
from bisect import bisect_left
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

ROOT = Path(__file__).parent.parent
sys.path.insert(0, str(ROOT / "tools"))

from ductus.app.takes.merging import joined_on_clock
from ductus.core.capture.takes import PlayedNote, Take
from ductus.core.reading.live import LiveReading
from ductus.core.reading.model import ReadingResult, ReadSettings
from ductus.core.reading.page.insertion import page_of
from ductus.core.reading.pipeline import read
from ductus.core.time.meters import parse_meter
from ductus.core.time.pulse_map import steady_map
from ductus.core.time.ticks import QUARTER
from ductus.demo.player import with_slips
from ductus.formats.midi_read import read_midi
from ductus.formats.musicxml_write import write_musicxml
from fit_corpus import CORPUS, UNIT, read_quartet, read_tunes
from simulated_player import breathing_clock, choose_pace, play, steady_clock

SOURCES = (
    "bach/bwv253.mxl", "bach/bwv261.mxl", "bach/bwv277.mxl", "bach/bwv281.mxl", "bach/bwv295.mxl", "bach/bwv310.mxl",
    "bach/bwv324.mxl",
    "mozart/k155/movement2.mxl", "mozart/k156/movement1.mxl", "mozart/k156/movement4.mxl",
    "haydn/opus74no1/movement3.mxl",
    "oneills1850/0101-0200.abc", "essenFolksong/kinder0.abc", "essenFolksong/han1.abc",
)  # fmt: skip
FEW = ("bach/bwv277.mxl", "bach/bwv310.mxl", "mozart/k156/movement4.mxl")
TUNES_EACH = 5
MOST_NOTES = 350
GAPS_MS = (60, 90, 125, 180, 250)
Pace = Callable[[dict[str, Any], random.Random], float]  # seconds to the quarter for a piece


@dataclass(frozen=True, slots=True)
class Case:
    """A score, a player and how it was played."""

    piece: dict[str, Any]
    skill: str
    seed: int
    free: bool

    def perform(self, pace: Pace = choose_pace) -> tuple[Take, list[int], float, float]:
        """(take, index of the score's note for each played one, quarters a minute, seconds of tick 0)."""
        rng = random.Random(f"{self.piece['name']}/{self.skill}/{self.seed}/{self.free}")
        quarter_s, start_s = pace(self.piece, rng), rng.uniform(1, 4)
        clock = (
            breathing_clock(
                self.piece, quarter_s, start_s, rng, {"steady": 0.03, "ordinary": 0.06, "rough": 0.1}[self.skill]
            )
            if self.free
            else steady_clock(quarter_s, start_s)
        )
        rows = play(self.piece, clock, self.skill, rng)
        notes = [(PlayedNote(round(a * 1e6), round(b * 1e6), key, velocity), i) for a, b, key, velocity, i in rows]
        notes.sort(key=lambda n: (n[0].onset_us, n[0].key))
        return Take(tuple(n for n, _ in notes)), [i for _, i in notes], 60 / quarter_s, start_s


def pieces(sources: Sequence[str]) -> list[dict[str, Any]]:
    """The scores, cut to a length that keeps the bench short."""
    out = []
    for source in sources:
        found = (
            read_tunes(str(CORPUS / source))[:TUNES_EACH]
            if source.endswith(".abc")
            else read_quartet(str(CORPUS / source))[:1]
        )
        for piece in found:
            end = sorted(n[0] for n in piece["notes"])[:MOST_NOTES][-1]
            out.append({**piece, "notes": [n for n in piece["notes"] if n[0] <= end]})
    return out


def judge(case: Case) -> dict[str, Any]:
    """Read one case and compare."""
    take, index, qpm, start_s = case.perform()
    piece = case.piece
    meter = parse_meter(piece["meter"])
    count, unit = (int(x) for x in piece["meter"].split("/"))
    pickup = piece["pickup"]
    zero_s = start_s + pickup / UNIT * 60 / qpm
    started = time.perf_counter()
    if case.free:
        about = qpm * random.Random(case.seed).uniform(0.93, 1.07)
        result = read(take, None, ReadSettings(meter=meter, about=about, readings=3))
        result = max((result, *result.rivals), key=lambda r: placed(r, piece, index, pickup)[1])
    else:
        result = read(take, steady_map(qpm, 0, round(zero_s * 1e6)), ReadSettings(meter=meter))
    seconds = time.perf_counter() - started
    del count, unit
    return figures(case, take, result, index, pickup, seconds)


def placed(result: ReadingResult, piece: dict[str, Any], index: list[int], pickup: int) -> tuple[list[bool], float]:
    """For each read note: is its place right (up to whole bars for free playing)? And the share."""
    bar = result.meter.bar_ticks * UNIT // QUARTER
    off = [n.tick * UNIT // QUARTER - (piece["notes"][index[n.event]][0] - pickup) for n in result.notes]
    usual = max(set(off), key=off.count)
    if usual % bar:
        whole = [o for o in off if o % bar == 0]
        usual = max(set(whole), key=whole.count) if whole else 0
    right = [o == usual for o in off]
    return right, sum(right) / len(right)


def figures(
    case: Case, take: Take, result: ReadingResult, index: list[int], pickup: int, seconds: float
) -> dict[str, Any]:
    """Shares right by stage, errors by gap class, doubts."""
    notes = case.piece["notes"]
    at, _ = placed(result, case.piece, index, pickup)
    standing = mended(case, result, index, at, pickup)
    value, staff, spelling, wrong_events = [], [], [], set()
    for ok, n in zip(at, result.notes, strict=True):
        source = notes[index[n.event]]
        value.append(n.ticks * UNIT == source[1] * QUARTER)
        staff.append(n.hand == source[5])
        if source[3]:
            spelling.append((n.pitch.step, n.pitch.alter) == (source[3], source[4]))
        if not (ok and value[-1] and staff[-1]):
            wrong_events.add(n.event)
    doubted = {e for d in result.doubts for e in d.events}
    onsets = sorted({notes[i][0] for i in index})
    gap_of = {
        t: min(
            [b - a for a, b in ((onsets[max(k - 1, 0)], t), (t, onsets[min(k + 1, len(onsets) - 1)])) if b > a]
            or [UNIT]
        )
        for k, t in enumerate(onsets)
    }
    pace = (take.length_us - take.notes[0].onset_us) / 1000 / max((onsets[-1] - onsets[0]), 1)
    by_gap: dict[int, list[bool]] = {}
    for ok, n in zip(at, result.notes, strict=True):
        by_gap.setdefault(bisect_left(GAPS_MS, gap_of[notes[index[n.event]][0]] * pace), []).append(ok)
    return {
        "case": case.piece["name"], "skill": case.skill, "free": case.free, "notes": len(result.notes),
        "onset": sum(at) / len(at), "value": sum(value) / len(value), "staff": sum(staff) / len(staff),
        "spelling": sum(spelling) / len(spelling) if spelling else 1.0, "key": float(result.key == case.piece["key"]),
        "doubts_per_100": 100 * len(result.doubts) / len(result.notes), "wrong": len(wrong_events),
        "caught": len(wrong_events & doubted), **standing,
        "lag_ms": result.lag_us / 1000, "seconds_per_minute": seconds / max((take.length_us / 60e6), 1e-6),
        "by_gap": {k: (sum(v), len(v)) for k, v in by_gap.items()},
    }  # fmt: skip


def mended(case: Case, result: ReadingResult, index: list[int], at: list[bool], pickup: int) -> dict[str, int]:
    """Of the doubts that stand on a wrong note.

    How many there are, how many have a rival that mends a note and spoils none, and one after which all is right.
    """
    notes = case.piece["notes"]
    shift = next(
        (n.tick * UNIT // QUARTER - (notes[index[n.event]][0] - pickup) for ok,
            n in zip(at, result.notes, strict=True) if ok), 0
    )  # fmt: skip
    true = {
        n.event: (
            (notes[index[n.event]][0] - pickup + shift) * QUARTER // UNIT,
            notes[index[n.event]][1] * QUARTER // UNIT,
            notes[index[n.event]][5],
        )
        for n in result.notes
    }
    read_as = {n.event: (n.tick, n.ticks, n.hand) for n in result.notes}
    standing = helped = all_right = 0
    for doubt in result.doubts:
        events = [e for e in doubt.events if e in read_as]
        wrong = [sum(a != b for a, b in zip(read_as[e], true[e], strict=True)) for e in events]
        if not sum(wrong):
            continue
        standing += 1
        after = []
        for rival in doubt.rivals:
            places, values, hands = dict(rival.places), dict(rival.values), dict(rival.hands)
            ends = {e: read_as[e][0] + read_as[e][1] for e in events}
            made = [
                (
                    places.get(e, read_as[e][0]),
                    values.get(e, ends[e] - places[e] if e in places and ends[e] > places[e] else read_as[e][1]),
                    hands.get(e, read_as[e][2]),
                )
                for e in events
            ]
            after.append(
                [sum(a != b for a, b in zip(m, true[e], strict=True)) for m, e in zip(made, events, strict=True)]
            )
        helped += any(sum(a) < sum(wrong) and all(x <= y for x, y in zip(a, wrong, strict=True)) for a in after)
        all_right += any(not sum(a) for a in after)
    return {"doubts_on_wrong": standing, "doubts_that_help": helped, "doubts_that_mend_all": all_right}


SEVERAL = ("bach/bwv277.mxl", "mozart/k156/movement4.mxl", "oneills1850/0101-0200.abc")
SLIPS = 0.02  # share of keys that are wrong: an ordinary amateur's (common practice)


def corrections(piece: dict[str, Any], result: ReadingResult) -> float:
    """Notes to add, to take away, to lengthen or shorten, to move to the other staff, for a hundred notes of the
    score.
    """
    here = {(n.tick, n.pitch.midi): n for n in result.notes}
    wanted = {((n[0] - piece["pickup"]) * QUARTER // UNIT, n[2]): n for n in piece["notes"]}
    wrong = len(here.keys() ^ wanted.keys())
    for place in here.keys() & wanted.keys():
        read_as, note = here[place], wanted[place]
        wrong += (read_as.ticks * UNIT != note[1] * QUARTER) + (read_as.hand != note[5])
    return 100 * wrong / len(wanted)


def several_takes(sources: Sequence[str], skill: str = "ordinary", count: int = 3) -> tuple[float, float]:
    """Corrections for a hundred notes of one take to a click with SLIPS wrong keys, and of several read together
    (means over the pieces).
    """
    alone, joined = [], []
    for piece in pieces(sources):
        takes = []
        for seed in range(1, count + 1):
            take, _, qpm, start_s = Case(piece, skill, seed, False).perform()
            pulses = steady_map(qpm, 0, round((start_s + piece["pickup"] / UNIT * 60 / qpm) * 1e6))
            notes = with_slips(list(take.notes), SLIPS, zlib.crc32(f"{piece['name']}/{seed}".encode()))
            takes.append(Take(tuple(notes), (), pulses))
        settings = ReadSettings(meter=parse_meter(piece["meter"]))
        one, all_of_them = takes[0], joined_on_clock(takes).take
        alone.append(corrections(piece, read(one, one.pulses, settings)))
        joined.append(corrections(piece, read(all_of_them, one.pulses, settings)))
    return statistics.mean(alone), statistics.mean(joined)


def people(folder: Path) -> str:
    """Takes of people without a score (MIDI files of a folder), read freely with nothing told.

    Meter, bars, ties and rests for a hundred notes.
    """
    out = []
    for path in sorted(folder.rglob("*.mid")):
        result = read(read_midi(path.read_bytes()).take, None, ReadSettings())
        page = write_musicxml(page_of(result))
        count = 100 / len(result.notes)
        ties, rests, short = (
            len(re.findall(pattern, page)) * count
            for pattern in (b'<tie type="start"', b"<rest */>", b"<type>(?:64|128|256)th</type>")
        )
        out.append(
            f"{path.parent.name}/{path.name}: {result.meter}, for 100 notes {ties:.1f} ties, {rests:.1f} rests, "
            f"{short:.1f} values under a 32nd"
        )
    return "\n".join(out)


LIVE = ("bach/bwv277.mxl", "mozart/k156/movement4.mxl", "oneills1850/0101-0200.abc")


def live(sources: Sequence[str], skill: str = "ordinary") -> dict[str, float]:
    """Reading while it is played, beat by beat.

    Milliseconds a beat (median and ninetieth percentile), and how many of the bars that were over changed a place in
    the reading of the whole.
    """
    spent: list[float] = []
    changed = total = 0
    for piece in pieces(sources):
        take, _, qpm, start_s = Case(piece, skill, 1, False).perform()
        meter = parse_meter(piece["meter"])
        pulses = steady_map(qpm, 0, round((start_s + piece["pickup"] / UNIT * 60 / qpm) * 1e6))
        settings = ReadSettings(meter=meter, key=piece["key"])
        reader = LiveReading(pulses, settings)
        first, last = (int(pulses.tick_at(n.onset_us) // meter.beat_ticks) for n in (take.notes[0], take.notes[-1]))
        early: dict[int, list[tuple[int, int]]] = {}
        per_bar = meter.bar_ticks // meter.beat_ticks
        for beat in range(first + 1, last + 2):
            now = pulses.time_at(beat * meter.beat_ticks)
            heard = [n for n in take.notes if n.onset_us < now]
            started = time.perf_counter()
            notes = reader.advance(heard, now)
            spent.append((time.perf_counter() - started) * 1000)
            bar = beat // per_bar - 1  # the bar that was over a bar ago
            if beat % per_bar == 0:
                early[bar - 1] = sorted((n.event, n.tick) for n in notes if n.tick // meter.bar_ticks == bar - 1)
        whole = read(take, pulses, settings).notes
        for bar, places in early.items():
            total += 1
            changed += places != sorted((n.event, n.tick) for n in whole if n.tick // meter.bar_ticks == bar)
    spent.sort()
    return {
        "median_ms": spent[len(spent) // 2], "p90_ms": spent[len(spent) * 9 // 10], "beats": len(spent),
        "changed": changed, "bars": total,
    }  # fmt: skip


def table(rows: list[dict[str, Any]]) -> str:
    """Means by skill, then places by gap class, then doubts."""
    out = []
    for free in (False, True):
        mine = [r for r in rows if r["free"] == free]
        if not mine:
            continue
        out.append("free, meter and rough tempo told, best of three" if free else "with a click")
        names = ("onset", "value", "staff", "spelling", "key", "doubts_per_100", "seconds_per_minute")
        out.append(f"{'':<10}" + "".join(f"{n:>20}" for n in names))
        for skill in ("steady", "ordinary", "rough"):
            own = [r for r in mine if r["skill"] == skill]
            if own:
                out.append(f"{skill:<10}" + "".join(f"{statistics.mean(r[n] for r in own):>20.3f}" for n in names))
        wrong, caught = sum(r["wrong"] for r in mine), sum(r["caught"] for r in mine)
        out.append(f"wrong notes inside a doubt: {caught} of {wrong} ({caught / max(wrong, 1):.0%})")
        standing, helped, all_right = (
            sum(r[n] for r in mine) for n in ("doubts_on_wrong", "doubts_that_help", "doubts_that_mend_all")
        )
        out.append(
            f"doubts on a wrong note: {standing}; a rival mends some of it and spoils nothing: "
            f"{helped / max(standing, 1):.0%}; makes it all right: {all_right / max(standing, 1):.0%}"
        )
        gaps: dict[int, list[int]] = {}
        for r in mine:
            for k, (ok, n) in r["by_gap"].items():
                gaps.setdefault(int(k), [0, 0])
                gaps[int(k)][0] += ok
                gaps[int(k)][1] += n
        edges = ["under 60 ms", *(f"{a}-{b} ms" for a, b in itertools.pairwise(GAPS_MS)), "over 250 ms"]
        out.append(
            "places wrong by smallest gap: "
            + ", ".join(f"{edges[k]} {1 - v[0] / v[1]:.1%} of {v[1]}" for k, v in sorted(gaps.items()))
        )
    return "\n".join(out)


def run(sources: Sequence[str], skills: Sequence[str], free: Sequence[bool]) -> list[dict[str, Any]]:
    """All cases of some scores."""
    return [judge(Case(p, skill, 1, f)) for p in pieces(sources) for skill in skills for f in free]


def main() -> None:
    """Print the table; ``--json`` keeps all figures."""
    arguments = argparse.ArgumentParser()
    arguments.add_argument("--few", action="store_true")
    arguments.add_argument("--json", type=Path)
    arguments.add_argument(
        "--people", type=Path, metavar="FOLDER", help="only read the MIDI files of a folder, played by people"
    )
    args = arguments.parse_args()
    if args.people:
        print(people(args.people))
        return
    rows = run(FEW if args.few else SOURCES, ("steady", "ordinary", "rough"), (False, True))
    print(table(rows))
    if not args.few:
        found = live(LIVE)
        print(
            f"while playing: {found['median_ms']:.1f} ms a beat (median of {found['beats']:.0f}), "
            f"{found['p90_ms']:.1f} at the ninetieth "
            f"percentile; {found['changed']:.0f} of {found['bars']:.0f} bars changed a place after they were over"
        )
        alone, joined = several_takes(SEVERAL)
        print(
            f"{SLIPS:.0%} of the keys wrong, with a click: {alone:.1f} corrections for 100 notes from one take, "
            f"{joined:.1f} from three"
        )
    if args.json:
        args.json.write_text(json.dumps(rows, indent=1))


if __name__ == "__main__":
    main()
