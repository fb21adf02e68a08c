"""The drums of a kit: General MIDI percussion keys, where each stands on the staff, its head, and whether hands or
feet strike it.

Keys and names: General MIDI 1, percussion key map (keys 35 to 81; MIDI Manufacturers Association). Staff positions
and heads: common practice (as in N. Weinberg's guidelines for drum set notation, Percussive Notes 1994; from
memory): hands with stems up in voice 1, feet with stems down in voice 2. A note on a kit keeps its drum as its
pitch: the key of the drum.
"""

from __future__ import annotations

from dataclasses import dataclass

from ductus.core.pitch.intervals import transposed
from ductus.core.pitch.pitches import STEPS, Pitch, parse_pitch, pitch_words, spell_in_key
from ductus.core.score.model.records import Part

HANDS, FEET = 1, 2  # voices


@dataclass(frozen=True, slots=True)
class Drum:
    """A drum: MIDI key, its name in General MIDI, a short one, where it stands (as in the treble clef), its MusicXML
    notehead, how it is struck.
    """

    key: int
    name: str
    label: str
    place: Pitch
    head: str = "normal"
    foot: bool = False

    @property
    def voice(self) -> int:
        """The voice that it is written in."""
        return FEET if self.foot else HANDS


TABLE = """
35 Acoustic Bass Drum | low bass drum | E4 | normal | foot
36 Bass Drum 1 | bass drum | F4 | normal | foot
37 Side Stick | side stick | C5 | x
38 Acoustic Snare | snare | C5
39 Hand Clap | clap | D5 | x
40 Electric Snare | second snare | C5 | slashed
41 Low Floor Tom | low floor tom | G4
42 Closed Hi-Hat | closed hat | G5 | x
43 High Floor Tom | floor tom | A4
44 Pedal Hi-Hat | pedal hat | D4 | x | foot
45 Low Tom | low tom | B4
46 Open Hi-Hat | open hat | G5 | circle-x
47 Low-Mid Tom | low mid tom | D5
48 Hi-Mid Tom | high mid tom | E5
49 Crash Cymbal 1 | crash | A5 | x
50 High Tom | high tom | F5
51 Ride Cymbal 1 | ride | F5 | x
52 Chinese Cymbal | china | C6 | x
53 Ride Bell | ride bell | F5 | diamond
54 Tambourine | tambourine | E5 | triangle
55 Splash Cymbal | splash | B5 | x
56 Cowbell | cowbell | E5 | x
57 Crash Cymbal 2 | second crash | A5 | circle-x
58 Vibraslap | vibraslap | D5 | diamond
59 Ride Cymbal 2 | second ride | D5 | square
60 Hi Bongo | high bongo | E5 | slash
61 Low Bongo | low bongo | D5 | slash
62 Mute Hi Conga | muted conga | C5 | diamond
63 Open Hi Conga | high conga | C5 | slash
64 Low Conga | low conga | B4 | slash
65 High Timbale | high timbale | E5 | square
66 Low Timbale | low timbale | C5 | square
67 High Agogo | high agogo | E5 | diamond
68 Low Agogo | low agogo | B4 | diamond
69 Cabasa | cabasa | F5 | slash
70 Maracas | maracas | F5 | triangle
71 Short Whistle | short whistle | B5 | diamond
72 Long Whistle | long whistle | B5 | square
73 Short Guiro | short guiro | D5 | triangle
74 Long Guiro | long guiro | D5 | slashed
75 Claves | claves | B4 | x
76 Hi Wood Block | high block | E5 | slashed
77 Low Wood Block | low block | B4 | triangle
78 Mute Cuica | muted cuica | A4 | x
79 Open Cuica | open cuica | A4 | diamond
80 Mute Triangle | muted triangle | C6 | triangle
81 Open Triangle | triangle | C6 | diamond
"""


def _read(line: str) -> Drum:
    named, label, place, *rest = (word.strip() for word in line.split("|"))
    key, name = named.split(" ", 1)
    return Drum(int(key), name, label, parse_pitch(place), rest[0] if rest else "normal", rest[-1:] == ["foot"])


DRUMS: dict[int, Drum] = {d.key: d for d in map(_read, TABLE.strip().splitlines())}
LOWEST, HIGHEST = min(DRUMS), max(DRUMS)
USUAL = (46, 42, 51, 49, 50, 47, 38, 43, 36, 44)  # the drums of a small kit, from the top of the strip down


def drum_of(part: Part, key: int) -> Drum | None:
    """The drum that a key means on a part; None for a key that is none."""
    return DRUMS.get(dict(part.kit).get(key, key))


def kit_of(part: Part) -> tuple[tuple[int, int], ...] | None:
    """What a reading needs to know of a kit: keys that mean other drums than usual; None for a part of pitches."""
    return part.kit if part.percussion else None


def drum_pitch(key: int) -> Pitch:
    """The pitch that stands for a drum."""
    return spell_in_key(key, 0)


def drum_at(place: int, raised: bool = False) -> Drum:
    """The drum that stands at a place of the staff (staff steps, C0 = 0), or nearest to it.

    ``raised``: the next one there, with another head.
    """
    near = min(abs(d.place.diatonic - place) for d in DRUMS.values())
    here = sorted(
        (d for d in DRUMS.values() if abs(d.place.diatonic - place) == near),
        key=lambda d: (d.key not in USUAL, d.head != "normal", d.key),
    )
    return here[1 if raised and len(here) > 1 else 0]


def drum_by_place(key: int) -> Drum:
    """The drum that stands where a key would stand in the treble clef.

    A black key means the next drum at the place of the white key under it.
    """
    pitch = spell_in_key(key, 0)
    white = Pitch(STEPS[STEPS.index(pitch.step) - (pitch.alter < 0)], 0, pitch.octave)
    return drum_at(white.diatonic, pitch.alter != 0)


def sound_words(part: Part, pitch: Pitch) -> str:
    """A written note in words: its pitch as its part reads it, or its drum."""
    drum = DRUMS.get(pitch.midi) if part.percussion else None
    if drum:
        return drum.label
    steps, semitones = part.transpose
    return pitch_words(pitch if (steps, semitones) == (0, 0) else transposed(pitch, -steps, -semitones))
