"""The command line as people and scripts use it: files out, or exit 2 and one line."""

from __future__ import annotations

import json
import shutil
import signal
import socket
import subprocess
import sys
import time
import urllib.request
from collections import Counter
from pathlib import Path

import music21
import pytest

from ductus import __version__
from ductus.app.library import Library
from ductus.cli import main
from ductus.core.capture.takes import PlayedNote
from ductus.core.score.model.changes import Draft
from ductus.core.score.model.records import BarSign
from ductus.core.time.ticks import shown_ticks
from ductus.demo.player import play
from ductus.demo.scenario import jig, waltz
from ductus.demo.shelf import FREELY, HASTY, fill_library
from ductus.engraving.pdf import CONVERTER
from ductus.formats.midi_read import read_midi
from ductus.formats.musicxml_read import read_musicxml
from ductus.formats.musicxml_write import write_musicxml
from tests.app.files.test_convert import hears_ctrl_c
from tests.building import midi_of


@pytest.fixture
def performance(tmp_path: Path) -> Path:
    """The waltz's first eight bars, played to a click at 96 from the third second on."""
    notes = play(waltz(), range(8), 11, 96, start_us=3_000_000)
    path = tmp_path / "take.mid"
    path.write_bytes(midi_of(notes, 96, (3, 4)))
    return path


def refused(capsys: pytest.CaptureFixture[str], *arguments: str) -> str:
    with pytest.raises(SystemExit) as stopped:
        main(arguments)
    assert stopped.value.code == 2
    lines = capsys.readouterr().err.strip().splitlines()
    assert len(lines) == 1
    return lines[0]


def test_a_click_take_becomes_the_piece_that_was_played(performance: Path, tmp_path: Path) -> None:
    out = tmp_path / "out.musicxml"
    main(
        [
            "transcribe",
            str(performance),
            "-o",
            str(out),
            "--tempo",
            "96",
            "--meter",
            "3/4",
            "--start-beat-at",
            "3.0",
            "--title",
            "Read",
        ]
    )
    score = music21.converter.parse(str(out))
    flat = score.flatten()
    assert flat.getElementsByClass("TimeSignature")[0].ratioString == "3/4"
    assert flat.getElementsByClass("KeySignature")[0].sharps == -2
    piece = waltz()
    end = piece.timeline.bar(8).start
    wanted = sorted((round(n.tick / 23_063_040, 3), n.pitch.midi) for n in piece.notes.values() if n.tick < end)
    found = sorted(
        (round(float(e.getOffsetInHierarchy(score)), 3), p.midi)
        for part in score.stripTies().parts
        for e in part.recurse().notes
        for p in e.pitches
    )
    assert found == wanted


def test_three_readings_and_the_doubts_are_written(performance: Path, tmp_path: Path) -> None:
    out, doubts = tmp_path / "free.musicxml", tmp_path / "doubts.json"
    main(
        [
            "transcribe",
            str(performance),
            "-o",
            str(out),
            "--free",
            "--about",
            "96",
            "--readings",
            "3",
            "--doubts",
            str(doubts),
        ]
    )
    assert all(
        (tmp_path / name).stat().st_size > 1000 for name in ("free.musicxml", "free-2.musicxml", "free-3.musicxml")
    )
    rows = json.loads(doubts.read_text())
    written = out.read_text()
    assert len(rows) <= 12 * len(read_midi(performance.read_bytes()).take.notes) / 100 + 1
    for row in rows:
        assert set(row) == {"bar", "tick", "quarters", "notes", "events", "words", "probability", "rivals"}
        assert all(f'<note id="{name}"' in written for name in row["notes"])
        assert f'<measure number="{row["bar"]}"' in written
        assert 0 <= row["probability"] <= 1
        assert row["notes"]


@pytest.mark.parametrize("how", [["--tempo", "96"], ["--free", "--about", "96"]])
def test_the_trace_says_of_each_note_what_was_written(performance: Path, tmp_path: Path, how: list[str]) -> None:
    out, traced = tmp_path / "page.musicxml", tmp_path / "trace.json"
    main(["transcribe", str(performance), "-o", str(out), "--meter", "3/4", *how, "--trace", str(traced)])
    rows = json.loads(traced.read_text())
    assert [row["event"] for row in rows] == list(range(len(read_midi(performance.read_bytes()).take.notes)))
    piece = read_musicxml(out.read_bytes()).piece
    written = Counter((n.pitch.midi, float(shown_ticks(n.tick))) for n in piece.notes.values())
    assert Counter((row["key"], row["tick"]) for row in rows if row["tick"] is not None) == written
    for row in rows:
        stages = {s["stage"]: s for s in row["stages"]}
        assert {"place", "hand", "length", "spelling"} <= set(stages) or set(stages) == {"ornament"}
        for stage in stages.values():
            assert stage["because"]
            weighed = [stage["probability"] or 0, *(r["probability"] for r in stage["rivals"])]
            assert sum(weighed) <= 1.01
    assert any(s["rivals"] for row in rows for s in row["stages"])


@pytest.mark.parametrize(
    ("options", "words"),
    [
        (["--tempo", "2"], "no tempo that Ductus clicks"),
        (["--meter", "4"], "no meter"),
        (["--shortest", "tiny"], "no note value"),
        (["--split", "H4"], "no pitch"),
        (["--key", "lots"], "no key"),
        (["--key", "9"], "at most seven"),
        (["--free", "--about", "4000"], "out of reach"),
    ],
)
def test_a_wish_that_cannot_be_granted_is_one_line(
    performance: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str], options: list[str], words: str
) -> None:
    assert words in refused(capsys, "transcribe", str(performance), "-o", str(tmp_path / "x.musicxml"), *options)
    assert not (tmp_path / "x.musicxml").exists()


def test_a_file_that_is_not_there_or_no_midi_is_one_line(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    assert "nowhere.mid" in refused(capsys, "transcribe", str(tmp_path / "nowhere.mid"), "-o", "x.musicxml")
    letter = tmp_path / "letter.mid"
    letter.write_text("Dear band")
    assert "no Standard MIDI File" in refused(capsys, "transcribe", str(letter), "-o", str(tmp_path / "x.musicxml"))


def test_check_says_what_to_look_at_and_its_exit_code_says_whether_there_is_any(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    clean, lone = tmp_path / "clean.musicxml", tmp_path / "lone.musicxml"
    clean.write_bytes(write_musicxml(jig()))
    draft = Draft(jig())
    draft.put(BarSign(draft.new_id("s"), "ending", 1, "1"))
    lone.write_bytes(write_musicxml(draft.change("An ending").apply(jig())))
    main(["check", str(clean)])
    assert capsys.readouterr().out == f"{clean}: nothing to look at\n"
    with pytest.raises(SystemExit) as ended:
        main(["check", str(clean), str(lone)])
    assert ended.value.code == 1
    said = capsys.readouterr().out
    assert f"{lone}: page 1, bar 1: Ending 1 has no repeat and no other ending behind it\n" in said
    assert said.endswith(f"{lone}: 1 thing to look at\n")


def test_import_and_export_go_through_the_library(
    performance: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    main(["import", str(performance), "--data", str(tmp_path / "data")])
    piece_id = capsys.readouterr().out.split()[0]
    endings = ["musicxml", "mid", "zip", *(["pdf"] if shutil.which(CONVERTER) else [])]
    for ending in endings:
        main(["export", piece_id, "-o", str(tmp_path / f"out.{ending}"), "--data", str(tmp_path / "data")])
        assert (tmp_path / f"out.{ending}").stat().st_size > 100
    assert "Ductus writes .musicxml" in refused(
        capsys, "export", piece_id, "-o", "out.tiff", "--data", str(tmp_path / "data")
    )
    assert "no piece" in refused(
        capsys, "export", "nothing", "-o", str(tmp_path / "y.mid"), "--data", str(tmp_path / "data")
    )


def test_a_performance_of_two_minutes_is_read_whole(tmp_path: Path) -> None:
    notes: list[PlayedNote] = []
    for k in range(7):
        notes += play(jig(), range(9), k, 150, start_us=round(k * 17e6))
    path = tmp_path / "long.mid"
    path.write_bytes(midi_of(sorted(notes, key=lambda n: n.onset_us), 150, (6, 8)))
    command = [
        sys.executable,
        "-m",
        "ductus.cli",
        "transcribe",
        str(path),
        "-o",
        str(tmp_path / "o.musicxml"),
        "--tempo",
        "150",
        "--meter",
        "6/8",
    ]
    subprocess.run(command, check=True)
    score = music21.converter.parse(str(tmp_path / "o.musicxml"))
    bars = len(score.parts[0].getElementsByClass("Measure"))
    assert abs(bars - 7 * 17e6 / (3 * 60e6 / 150)) <= 12  # seven times 17 seconds of bars of three quarters


def test_the_demo_pieces_are_on_the_shelf_once(tmp_path: Path) -> None:
    library = Library(tmp_path / "demo.sqlite")
    fill_library(library)
    fill_library(library)
    assert sorted(row.title for row in library.shelf()) == [
        "Dance of the Paper Crane",
        HASTY,
        "Lock Gate Waltz",
        "Otter at the Tiller",
        "Sparks over the Paddle",
        "The Lantern-Keeper’s Song",
        "Three Bends of the River",
        FREELY,
    ]
    library.close()


@pytest.mark.parametrize("shell", ["bash", "zsh"])
def test_a_shell_completes_all_commands_and_options(shell: str, capsys: pytest.CaptureFixture[str]) -> None:
    main(["completion", shell])
    made = capsys.readouterr().out
    assert all(word in made for word in ("transcribe", "convert", "--start-beat-at", "--as-played", "backup"))
    if shell == "bash":  # as bash itself reads it
        done = subprocess.run(["bash", "-n"], input=made, text=True, capture_output=True, check=False)
        assert done.returncode == 0, done.stderr


def test_one_command_starts_the_demo_says_where_it_is_and_ctrl_c_ends_it(tmp_path: Path) -> None:
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = str(free.getsockname()[1])
    command = [sys.executable, "-m", "ductus.cli", "demo", "--port", port, "--data", str(tmp_path)]
    process = subprocess.Popen(command, stdout=subprocess.PIPE, text=True, preexec_fn=hears_ctrl_c)
    assert process.stdout is not None
    address = next(word for word in process.stdout.readline().split() if word.startswith("http"))
    until = time.monotonic() + 60
    while True:
        try:
            with urllib.request.urlopen(f"{address}api/pieces", timeout=30) as answer:
                titles = [piece["title"] for piece in json.load(answer)]
            break
        except OSError:
            assert time.monotonic() < until
            assert process.poll() is None
            time.sleep(0.05)
    assert "Lock Gate Waltz" in titles
    process.send_signal(signal.SIGINT)
    said, _ = process.communicate(timeout=60)
    assert (process.returncode, said) == (0, "")
    Library(tmp_path / "library.sqlite").close()  # nobody holds it any longer


def test_the_version_is_said(capsys: pytest.CaptureFixture[str]) -> None:
    with pytest.raises(SystemExit) as left:
        main(["--version"])
    assert left.value.code == 0
    assert capsys.readouterr().out == f"Ductus {__version__}\n"
