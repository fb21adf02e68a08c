"""Files into files from the command line.

Every kind out and in, many at a time, and what a script may rely on when something goes wrong.
"""

from __future__ import annotations

import io
import os
import shutil
import signal
import subprocess
import sys
import time
import zipfile
from pathlib import Path

import mido
import music21
import pytest
import soundfile

from ductus.app.library import Library
from ductus.cli import main
from ductus.core.score.model.piece import Piece
from ductus.demo.scenario import jig, song, waltz
from ductus.engraving.pdf import CONVERTER
from ductus.formats.midi import write_midi
from ductus.formats.musicxml_write import write_musicxml
from ductus.store.packed import Packed, from_file, to_file

COMMAND = [sys.executable, "-m", "ductus.cli"]


@pytest.fixture
def scores(tmp_path: Path) -> Path:
    """A folder with a piece in each kind that is read."""
    folder = tmp_path / "scores"
    folder.mkdir()
    (folder / "waltz.musicxml").write_bytes(write_musicxml(waltz()))
    (folder / "jig.mid").write_bytes(write_midi(jig()))
    (folder / "song.ductus").write_bytes(to_file([Packed(song())]))
    return folder


def ends(*arguments: object) -> int:
    """The exit code of a command."""
    try:
        main([str(a) for a in arguments])
    except SystemExit as stopped:
        return int(stopped.code or 0)
    return 0


def notes_of(path: Path) -> int:
    """How many notes music21 finds in a file, ties joined."""
    found = music21.converter.parse(path).stripTies().recurse().notes
    return sum(len(getattr(e, "notes", [e])) for e in found if not e.duration.isGrace)


def all_notes(piece: Piece) -> int:
    return len(piece.notes)


@pytest.mark.parametrize("ending", ["musicxml", "mxl", "mid", "ductus"])
def test_each_kind_goes_out_and_comes_in_again(scores: Path, tmp_path: Path, ending: str) -> None:
    out, back = tmp_path / f"waltz.{ending}", tmp_path / "back.musicxml"
    assert ends("convert", scores / "waltz.musicxml", "-o", out) == 0
    assert ends("convert", out, "-o", back) == 0
    assert abs(notes_of(back) - all_notes(waltz())) <= (2 if ending == "mid" else 0)


def test_pages_and_sound_are_made_without_a_library(scores: Path, tmp_path: Path) -> None:
    endings = ["zip", "wav", *(["pdf"] if shutil.which(CONVERTER) else [])]
    for ending in endings:
        assert ends("convert", scores / "waltz.musicxml", "-o", tmp_path / f"w.{ending}") == 0
    with zipfile.ZipFile(tmp_path / "w.zip") as pages:
        assert pages.namelist() == ["page-001.svg"]
    info = soundfile.info(tmp_path / "w.wav")
    assert info.duration > 20
    assert ends("convert", scores / "waltz.musicxml", "-o", tmp_path / "s.wav", "--bars", "2-3") == 0
    assert soundfile.info(tmp_path / "s.wav").duration < info.duration / 3
    if "pdf" in endings:
        assert (tmp_path / "w.pdf").read_bytes().startswith(b"%PDF")


def test_several_at_once_go_into_a_folder(scores: Path, tmp_path: Path) -> None:
    files = sorted(scores.iterdir())
    assert ends("convert", *files, "-o", tmp_path / "out", "--to", "mid", "--jobs", 2) == 0
    assert sorted(p.name for p in (tmp_path / "out").iterdir()) == ["jig.mid", "song.mid", "waltz.mid"]


def test_some_that_fail_are_named_one_a_line_and_the_others_are_done(
    scores: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    (scores / "letter.mid").write_text("Dear band")
    (scores / "empty.xml").write_bytes(b"")
    (scores / "cut.musicxml").write_bytes(write_musicxml(waltz())[:900])
    files = sorted(scores.iterdir())
    assert ends("convert", *files, "-o", tmp_path / "out", "--to", "musicxml", "--jobs", 2) == 1
    lines = sorted(capsys.readouterr().err.strip().splitlines())
    assert [Path(line.partition(":")[0]).name for line in lines] == ["cut.musicxml", "empty.xml", "letter.mid"]
    assert sorted(p.name for p in (tmp_path / "out").iterdir()) == ["jig.musicxml", "song.musicxml", "waltz.musicxml"]


def test_standard_input_and_output(scores: Path) -> None:
    data = (scores / "waltz.musicxml").read_bytes()
    done = subprocess.run(
        [*COMMAND, "convert", "-", "-o", "-", "--to", "mid"], input=data, capture_output=True, check=True
    )
    assert done.stderr == b""
    assert sum(m.type == "note_on" for t in mido.MidiFile(file=io.BytesIO(done.stdout)).tracks for m in t) == all_notes(
        waltz()
    )


def test_what_a_file_could_not_keep_is_said_unless_quiet(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    source = tmp_path / "a.musicxml"
    source.write_bytes(write_musicxml(waltz()).replace(b'<note id="', b'<note print-object="no" id="', 1))
    assert ends("convert", source, "-o", tmp_path / "a.mid") == 0
    assert capsys.readouterr().err == "1 hidden note, bar 1.\n"
    assert ends("convert", source, "-o", tmp_path / "a.mid", "--quiet") == 0
    assert capsys.readouterr().err == ""


@pytest.mark.parametrize(
    ("arguments", "words"),
    [
        (["{waltz}", "-o", "x.tiff"], "Ductus writes .musicxml"),
        (["{waltz}", "-o", "nothing"], "--to KIND"),
        (["{waltz}", "-o", "nowhere/deep/x.mid"], "no folder"),
        (["{waltz}", "{jig}", "-o", "x.mid/"], "--to KIND"),
        (["-", "-", "-o", "out/", "--to", "mid"], "read once"),
        (["nowhere.mid", "-o", "x.mid"], "There is no file nowhere.mid"),
        (["{waltz}", "-o", "x.wav", "--bars", "90-95"], "no bars 90-95"),
        (["{waltz}", "-o", "x.mid", "--part", "Organ"], "Organ"),
    ],
)
def test_a_wish_that_cannot_be_granted_is_one_line_and_nothing_is_written(
    scores: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch,
    arguments: list[str], words: str
) -> None:  # fmt: skip
    work = tmp_path / "work"
    work.mkdir()
    monkeypatch.chdir(work)
    filled = [a.format(waltz=scores / "waltz.musicxml", jig=scores / "jig.mid") for a in arguments]
    assert ends("convert", *filled) == 2
    (line,) = capsys.readouterr().err.strip().splitlines()
    assert words in line
    assert [p for p in work.rglob("*") if p.is_file()] == []


def test_two_inputs_never_become_one_file(scores: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    (tmp_path / "waltz.mid").write_bytes(write_midi(waltz()))
    assert (
        ends("convert", scores / "waltz.musicxml", tmp_path / "waltz.mid", "-o", tmp_path / "out", "--to", "mid") == 2
    )
    assert "would both be" in capsys.readouterr().err
    assert ends("convert", tmp_path / "waltz.mid", "-o", tmp_path, "--to", "mid") == 2
    assert "over itself" in capsys.readouterr().err


def test_a_disk_that_fills_up_leaves_no_half_file_and_the_old_one(
    scores: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    out = tmp_path / "w.mid"
    out.write_bytes(b"the older one")

    def full(_: int) -> None:
        raise OSError(28, "No space left on device", str(out))

    monkeypatch.setattr(os, "fsync", full)
    assert ends("convert", scores / "waltz.musicxml", "-o", out) == 2
    assert "No space left" in capsys.readouterr().err
    assert out.read_bytes() == b"the older one"
    assert [p.name for p in tmp_path.iterdir() if p.is_file()] == ["w.mid"]


@pytest.mark.skipif(os.getuid() == 0, reason="root may write everywhere")
def test_a_folder_that_may_not_be_written_is_said(
    scores: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    closed = tmp_path / "closed"
    closed.mkdir(mode=0o500)
    assert ends("convert", scores / "waltz.musicxml", "-o", closed / "w.mid") == 2
    assert "may not be" in capsys.readouterr().err


def test_a_device_that_is_full_is_said(scores: Path, capsys: pytest.CaptureFixture[str]) -> None:
    assert ends("convert", scores / "waltz.musicxml", "-o", "/dev/full", "--to", "mid") == 2
    assert "/dev/full cannot be read or written (No space left" in capsys.readouterr().err


def hears_ctrl_c() -> None:
    """A process that is started in the background of a shell does not hear Ctrl-C (POSIX, 2.11), nor do those that
    it starts.
    """
    signal.signal(signal.SIGINT, signal.SIG_DFL)


@pytest.mark.parametrize("how", [signal.SIGINT, signal.SIGTERM])
def test_stopping_leaves_whole_files_only(scores: Path, tmp_path: Path, how: signal.Signals) -> None:
    out = tmp_path / "out"
    many = []
    for k in range(30):
        many.append(str(scores / f"w{k}.musicxml"))
        Path(many[-1]).write_bytes((scores / "waltz.musicxml").read_bytes())
    process = subprocess.Popen(
        [*COMMAND, "convert", *many, "-o", str(out), "--to", "wav", "--jobs", "2"],
        stderr=subprocess.PIPE,
        start_new_session=True,
        preexec_fn=hears_ctrl_c,
    )
    until = time.monotonic() + 60
    while not (out.exists() and list(out.glob("*.wav"))) and time.monotonic() < until:
        time.sleep(0.05)
    os.killpg(process.pid, how) if how == signal.SIGINT else process.send_signal(how)  # Ctrl-C reaches the whole group
    _, said = process.communicate(timeout=60)
    assert process.returncode == 130, said
    time.sleep(0.5)  # its helpers end, too
    found = sorted(p.name for p in out.iterdir())
    assert 1 <= len(found) < 30
    assert all(n.endswith(".wav") for n in found), found
    for name in found:
        assert soundfile.info(out / name).frames > 1000
    assert b"Traceback" not in said


def test_names_with_slashes_and_a_thousand_letters_are_files(tmp_path: Path) -> None:
    library = Library(tmp_path / "data" / "library.sqlite")
    for title in ("AC/DC: \\ of * the ? barge", "x" * 190, "", "  ..  "):
        piece = waltz()
        facts = piece.facts
        library.add(piece.with_rows([(facts, type(facts)(title=title, bars=facts.bars))]))
    library.close()
    assert ends("export", "--all", "-o", tmp_path / "out", "--to", "ductus", "--data", tmp_path / "data") == 0
    names = sorted(p.name for p in (tmp_path / "out").iterdir())
    assert len(names) == 4
    assert all(len(n) < 140 and "/" not in n for n in names)


def test_a_library_is_backed_up_and_brought_back_into_an_empty_one(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    (tmp_path / "a.mid").write_bytes(write_midi(jig()))
    (tmp_path / "b.musicxml").write_bytes(write_musicxml(waltz()))
    first, second, kept = tmp_path / "first", tmp_path / "second", tmp_path / "all.ductus"
    assert ends("import", tmp_path / "a.mid", tmp_path / "b.musicxml", "--data", first) == 0
    assert ends("backup", "-o", kept, "--data", first) == 0
    assert ends("import", kept, "--data", second) == 0
    before, after = Library(first / "library.sqlite"), Library(second / "library.sqlite")
    assert sorted((r.title, r.notes, r.takes) for r in before.shelf()) == sorted(
        (r.title, r.notes, r.takes) for r in after.shelf()
    )
    before.close()
    after.close()
    capsys.readouterr()
    assert ends("convert", kept, "-o", tmp_path / "pages", "--to", "musicxml") == 2
    assert "2 pieces" in capsys.readouterr().err
    assert ends("convert", kept, "-o", f"{tmp_path}/pages/", "--to", "musicxml") == 0
    assert len(list((tmp_path / "pages").rglob("*.musicxml"))) == 2
    assert len(from_file(kept.read_bytes())) == 2


def test_several_performances_are_transcribed_into_a_folder(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    for name in ("one", "two"):
        (tmp_path / f"{name}.mid").write_bytes(write_midi(waltz()))
    (tmp_path / "none.mid").write_bytes(b"MThd")
    code = ends("transcribe", *sorted(tmp_path.glob("*.mid")), "-d", tmp_path / "pages", "--free", "--jobs", 2)
    assert code == 1
    assert capsys.readouterr().err.startswith(str(tmp_path / "none.mid"))
    assert sorted(p.name for p in (tmp_path / "pages").iterdir()) == ["one.musicxml", "two.musicxml"]
    assert ends("transcribe", tmp_path / "one.mid", tmp_path / "two.mid", "-o", tmp_path / "x.musicxml", "--free") == 2


def test_help_shows_examples(capsys: pytest.CaptureFixture[str]) -> None:
    for command in ("convert", "transcribe", "export"):
        assert ends(command, "--help") == 0
        assert f"ductus {command} " in capsys.readouterr().out.partition("examples:")[2]
