"""Many files at a time: folders, a manifest, going on after a stop, half of them unreadable."""

from __future__ import annotations

import json
import os
from pathlib import Path

import pytest

from ductus.cli.main import main
from ductus.demo.player import play
from ductus.demo.scenario import waltz
from ductus.formats.musicxml_write import write_musicxml
from tests.building import midi_of


def run(*args: str) -> int:
    """The exit code of a command."""
    try:
        main(list(args))
    except SystemExit as ended:
        return int(ended.code or 0)
    return 0


@pytest.fixture
def takes(tmp_path: Path) -> Path:
    """A folder with three performances, one of them in a folder of its own and one that is none."""
    folder = tmp_path / "takes"
    (folder / "act 2").mkdir(parents=True)
    data = midi_of(play(waltz(), range(4), 5, 96), 96, (3, 4))
    (folder / "one.mid").write_bytes(data)
    (folder / "act 2" / "one.mid").write_bytes(data)
    (folder / "letter.mid").write_bytes(b"Dear band")
    (folder / "notes.txt").write_text("not a performance")
    return folder


def lines(path: Path) -> dict[str, dict[str, object]]:
    """The manifest: the last line of each file, by its name below the folder."""
    found = [json.loads(line) for line in path.read_text().splitlines()]
    return {str(row["file"]).split("takes/")[1]: row for row in found}


def test_a_folder_is_read_with_its_folders_and_each_file_has_a_line(
    takes: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    out, manifest = tmp_path / "pages", tmp_path / "manifest.jsonl"
    click = ("--tempo", "96", "--meter", "3/4", "--manifest", str(manifest))
    assert run("transcribe", str(takes), "-d", str(out), "--jobs", "2", *click) == 1
    assert capsys.readouterr().err.count("letter.mid") == 1
    assert sorted(str(p.relative_to(out)) for p in out.rglob("*.musicxml")) == ["act 2/one.musicxml", "one.musicxml"]
    told = lines(manifest)
    assert {name: row["outcome"] for name, row in told.items()} == {
        "one.mid": "done", "act 2/one.mid": "done", "letter.mid": "failed",
    }  # fmt: skip
    assert told["one.mid"]["bars"] == 4
    assert int(str(told["one.mid"]["notes"])) > 20
    assert float(str(told["one.mid"]["seconds"])) > 0
    assert "trouble" in told["letter.mid"]


def test_a_second_run_leaves_what_is_there_and_does_what_is_not(
    takes: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    out, manifest = tmp_path / "pages", tmp_path / "manifest.jsonl"
    (takes / "letter.mid").unlink()
    args = ("transcribe", str(takes), "-d", str(out), "--tempo", "96", "--meter", "3/4", "--resume")
    assert run(*args) == 0
    before = {p: p.stat().st_mtime_ns for p in out.rglob("*.musicxml")}
    capsys.readouterr()
    (out / "one.musicxml").unlink()
    assert run(*args, "--manifest", str(manifest)) == 0
    assert "1 of 2 files were there already" in capsys.readouterr().err
    assert {row["outcome"] for row in lines(manifest).values()} == {"done", "left"}
    assert (out / "act 2" / "one.musicxml").stat().st_mtime_ns == before[out / "act 2" / "one.musicxml"]
    newer = (out / "one.musicxml").stat().st_mtime_ns + 10**9
    os.utime(takes / "one.mid", ns=(newer, newer))  # the performance was changed since
    assert run(*args, "--manifest", str(manifest)) == 0
    assert lines(manifest)["one.mid"]["outcome"] == "done"


def test_scores_in_a_folder_are_converted_and_the_second_run_leaves_them(tmp_path: Path) -> None:
    scores, out = tmp_path / "scores", tmp_path / "parts"
    scores.mkdir()
    (scores / "waltz.musicxml").write_bytes(write_musicxml(waltz()))
    args = ("convert", str(scores), "-o", str(out), "--to", "mid", "--resume")
    assert run(*args) == 0
    made = (out / "waltz.mid").stat().st_mtime_ns
    assert run(*args) == 0
    assert (out / "waltz.mid").stat().st_mtime_ns == made


def test_a_folder_with_nothing_to_read_says_so(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    (tmp_path / "empty").mkdir()
    assert run("transcribe", str(tmp_path / "empty"), "-d", str(tmp_path / "out"), "--free") == 2
    assert "There is no file in" in capsys.readouterr().err


def test_a_manifest_that_cannot_be_written_stops_before_anything_is_done(takes: Path, tmp_path: Path) -> None:
    out = tmp_path / "pages"
    args = ("--free", "--manifest", str(tmp_path / "nowhere" / "m.jsonl"))
    assert run("transcribe", str(takes), "-d", str(out), *args) == 2
    assert not list(out.rglob("*.musicxml"))
