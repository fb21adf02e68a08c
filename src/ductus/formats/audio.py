"""Audio out: what sounds, with the sounds of the screen, as WAV, FLAC, Ogg Vorbis or MP3.

Piano parts take the samples that the browser plays, all other parts the General MIDI files that it plays (rendered
by Debian's fluidsynth, one part after the other). Each part has its level and its place from left to right; where
all together would clip, everything is softer.
"""

from __future__ import annotations

import re
import shutil
import subprocess
import tempfile
from collections import defaultdict
from collections.abc import Sequence
from functools import lru_cache
from pathlib import Path

import mido
import numpy as np
import numpy.typing as npt
import soundfile

from ductus.core.capture.takes import PERCUSSION_CHANNEL
from ductus.core.errors import BadInput
from ductus.core.pitch.pitches import parse_pitch
from ductus.core.playback.performance import AS_SET, PlaybackStyle, Sounding, playback
from ductus.core.progress import passed, stretch
from ductus.core.score.model.piece import Piece
from ductus.core.score.model.records import Part

Floats = npt.NDArray[np.float32]
PACKAGE = Path(__file__).parents[1]
SOUNDS, PIANO = PACKAGE / "sounds", PACKAGE / "web" / "static" / "assets" / "piano"
RATE = 44_100
TAIL_S = 1.5  # what rings on after the last note
RELEASE_S = 0.4  # of a piano key, as in the browser
# of the synthesizer, so that it is as loud as that of the browser (flute .09, violin .10, bass .13 at velocity 80;
# measured)
GAIN = 0.5
TICKS = 10_000  # a second in the files that it is given
LOOK_S = 0.05
USUAL_LEVEL = 100
CEILING = 0.97
BLOCK = 1 << 16  # frames written at a time
FORMATS = {
    "wav": ("WAV", "PCM_16"),
    "flac": ("FLAC", "PCM_16"),
    "ogg": ("OGG", "VORBIS"),
    "mp3": ("MP3", "MPEG_LAYER_III"),
}


def write_audio(
    piece: Piece,
    ending: str,
    manner: PlaybackStyle = AS_SET,
    part: str = "",
    bars: tuple[int, int] | None = None,
) -> bytes:
    """The piece (or ``bars`` of it, first and last index; or one part) as an audio file.

    Raises BadInput where nothing sounds, Stopped.
    """
    start, end = 0, None
    if bars is not None:
        start, end = piece.timeline.bar(bars[0]).start, piece.timeline.bar(max(bars)).end
    heard = [n for n in playback(piece, start, end, manner=manner).notes if part in ("", n.part)]
    if not heard:
        raise BadInput("Nothing is written there, so there is nothing to hear. No file was written.")
    sound = rendered(piece, heard)
    passed(0.95)
    kind, subtype = FORMATS[ending]
    with tempfile.TemporaryDirectory(
        prefix="ductus-sound-"
    ) as folder:  # a file, so that C never calls back and a signal is heard
        path = Path(folder) / f"out.{ending}"
        with soundfile.SoundFile(path, "w", RATE, 2, subtype, format=kind) as file:
            for begin in range(0, len(sound), BLOCK):
                file.write(sound[begin : begin + BLOCK])
        return path.read_bytes()


def rendered(piece: Piece, notes: Sequence[Sounding]) -> Floats:
    """Frames of two channels, -1..1."""
    by_part: dict[str, list[Sounding]] = defaultdict(list)
    for note in notes:
        by_part[note.part].append(note)
    length = round((max(n.onset_us + n.length_us for n in notes) / 1e6 + TAIL_S) * RATE)
    mix = np.zeros((length, 2), np.float32)
    for k, (part_id, mine) in enumerate(by_part.items()):
        part = piece.part(part_id)
        sampled = not part.percussion and part.programme == 0 and PIANO.is_dir()
        with stretch(0.9 * k / len(by_part), 0.9 * (k + 1) / len(by_part)):
            sound = piano(mine, length) if sampled else instrument(part, mine, length)
        left, right = balance(part)
        mix[:, 0] += sound[:, 0] * left
        mix[:, 1] += sound[:, 1] * right
    peak = float(np.abs(mix).max(initial=0.0))
    return mix * np.float32(CEILING / peak) if peak > CEILING else mix


def balance(part: Part) -> tuple[float, float]:
    """Gains of left and right: level as in the browser, equal power from left to right."""
    gain = (part.level / USUAL_LEVEL) ** 2
    angle = np.pi / 4 * (1 + min(max((part.pan - 64) / 63, -1.0), 1.0))
    return gain * float(np.cos(angle)) * 2**0.5, gain * float(np.sin(angle)) * 2**0.5


def instrument(part: Part, notes: Sequence[Sounding], length: int) -> Floats:
    """A part with its General MIDI sound. Raises BadInput where the synthesizer is not installed, Stopped."""
    name = "kit" if part.percussion else f"{part.programme:03d}"
    channel = PERCUSSION_CHANNEL if part.percussion else 0
    with tempfile.TemporaryDirectory() as folder:
        midi, raw = Path(folder) / "part.mid", Path(folder) / "part.raw"
        midi_of(notes, part.programme, channel).save(midi)
        run_synthesizer(SOUNDS / f"{name}.sf3", midi, raw, length)
        frames = np.fromfile(raw, "<f4").reshape(-1, 2)
    out = np.zeros((length, 2), np.float32)
    count = min(length, len(frames))
    out[:count] = frames[:count]
    return out


def midi_of(notes: Sequence[Sounding], programme: int, channel: int) -> mido.MidiFile:
    """Notes on one channel, a tick being a ten-thousandth of a second."""
    events: list[tuple[int, int, mido.Message]] = []
    for n in notes:
        on, off = (round(us * TICKS / 1e6) for us in (n.onset_us, n.onset_us + n.length_us))
        events.append((on, 1, mido.Message("note_on", note=n.key, velocity=n.velocity, channel=channel)))
        events.append((max(off, on + 1), 0, mido.Message("note_off", note=n.key, channel=channel)))
    track = mido.MidiTrack([mido.MetaMessage("set_tempo", tempo=1_000_000)])
    if channel != PERCUSSION_CHANNEL:
        track.append(mido.Message("program_change", program=programme, channel=channel))
    now = 0
    for tick, _, message in sorted(events, key=lambda e: e[:2]):
        track.append(message.copy(time=tick - now))
        now = tick
    return mido.MidiFile(ticks_per_beat=TICKS, tracks=[track])


def run_synthesizer(font: Path, midi: Path, raw: Path, length: int) -> None:
    """Render a MIDI file into frames of two floats, about ``length`` of them. Raises BadInput, Stopped."""
    program = shutil.which("fluidsynth")
    if program is None:
        raise BadInput(
            "Parts other than the piano need the program fluidsynth to become audio, and it is not installed (Debian: "
            "apt-get install fluidsynth). "
            "No file was written."
        )
    told = [program, "-n", "-i", "-q", "-g", str(GAIN), "-r", str(RATE), "-T", "raw", "-O", "float", "-E", "little"]
    work = subprocess.Popen(
        [*told, "-F", str(raw), str(font), str(midi)], stdout=subprocess.DEVNULL, stderr=subprocess.PIPE
    )
    try:
        while True:
            try:
                _, said = work.communicate(timeout=LOOK_S)
                break
            except subprocess.TimeoutExpired:
                passed((raw.stat().st_size if raw.exists() else 0) / (8 * length))
    finally:
        if work.poll() is None:
            work.kill()
            work.communicate()
    if work.returncode or not raw.exists():
        raise BadInput(
            f"The synthesizer could not render a part ({said.decode(errors='replace').strip()[-120:]}). No file was "
            "written."
        )


@lru_cache(maxsize=1)
def samples() -> tuple[tuple[int, Floats], ...]:
    """The sampled keys of the piano: MIDI key and frames of two channels, in order."""
    found = []
    for path in PIANO.glob("*.mp3"):
        match = re.fullmatch(r"([A-G])(s?)(\d)", path.stem)
        if match is not None:
            frames, rate = soundfile.read(path, dtype="float32", always_2d=True)
            assert rate == RATE
            stereo = frames if frames.shape[1] == 2 else np.repeat(frames[:, :1], 2, axis=1)
            found.append((parse_pitch(f"{match[1]}{'#' if match[2] else ''}{match[3]}").midi, stereo))
    return tuple(sorted(found, key=lambda s: s[0]))


def piano(notes: Sequence[Sounding], length: int) -> Floats:
    """A piano part: each note the nearest sample at another speed (worked out once for all notes of a key), fading
    when its key is let go.
    """
    out = np.zeros((length, 2), np.float32)
    release = round(RELEASE_S * RATE)
    fade = (np.linspace(1, 0, release, dtype=np.float32) ** 2)[:, None]
    kept = samples()
    by_key: dict[int, list[Sounding]] = defaultdict(list)
    for note in notes:
        by_key[note.key].append(note)
    for k, (key, mine) in enumerate(by_key.items()):
        passed(k / len(by_key))
        sampled, frames = min(kept, key=lambda s: abs(s[0] - key))
        longest = round(max(n.length_us for n in mine) / 1e6 * RATE) + release
        sound = at_speed(frames, 2 ** ((key - sampled) / 12), longest)
        for n in mine:
            begin, held = round(n.onset_us / 1e6 * RATE), round(n.length_us / 1e6 * RATE)
            loud = np.float32(n.velocity / 127)
            whole = min(held, len(sound), length - begin)
            out[begin : begin + whole] += sound[:whole] * loud
            rest = min(release, len(sound) - held, length - begin - held)
            if rest > 0:
                out[begin + held : begin + held + rest] += sound[held : held + rest] * fade[:rest] * loud
    return out


def at_speed(frames: Floats, speed: float, count: int) -> Floats:
    """The first ``count`` frames of a sample played at a speed (fewer where it is over before)."""
    if speed == 1:
        return frames[:count]
    at = np.arange(min(count, int((len(frames) - 1) / speed)), dtype=np.float64) * speed
    source = np.arange(len(frames), dtype=np.float64)
    return np.stack([np.interp(at, source, frames[:, c]) for c in (0, 1)], axis=1).astype(np.float32)
