"""Words sung by a voice of joined recordings: is each syllable a note, and nothing within it?

    apt-get install festival festvox-kallpc16k
    python -m bench.sung FOLDER

A speech synthesiser sings made-up lines of a syllable a note, some held for seconds; it tells when each sound of a
word begins. A note counts where it begins with the vowel or with the voiced consonants before it.
"""

import os

os.environ.update(OMP_NUM_THREADS="1", OPENBLAS_NUM_THREADS="1")

import subprocess
import sys
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from bench.counted_notes import notes_in
from honest_stave.core.pitch.reading import Candidate

SONGS, SYLLABLES = 30, 14
WORDS = (
    "doe ray me far so la tea sun moon rain stone bread light year home wind fire sea low high day night all one two "
    "three four five song bird tree love heart dream gold time walk leave"
)
HEAD = """<?xml version="1.0"?>
<!DOCTYPE SINGING PUBLIC "-//SINGING//DTD SINGING mark up//EN" "Singing.v0_1.dtd" []>"""
NAMES = ("C", "C#", "D", "D#", "E", "F", "F#", "G", "G#", "A", "A#", "B")
INTERVALS = (-5, -4, -3, -2, -1, 1, 2, 3, 4, 5, 7)
SAME_SHARE, SHORTEST_S, LONGEST_S = 0.3, 0.22, 4.0
# Sounds as the synthesiser calls them.
VOWELS = "aa ae ah ao aw ax axr ay eh er ey ih iy ow oy uh uw"
VOICED = f"{VOWELS} b d g v dh z zh jh m n ng l r w y en em el"
# So far before the voice begins, and after the vowel does, a note may be said to begin; where it is struck again.
BEFORE_S, AFTER_S, AGAIN_S = 0.05, 0.06, 0.1
# Sounds of a syllable are told in whole periods of the voice.
LOOSE_S = 0.012


@dataclass(frozen=True)
class Syllable:
    """When its voice and its vowel begin, when it ends (s), and its pitch."""

    voice_s: float
    vowel_s: float
    end_s: float
    pitch: int


def sing(number: int, folder: Path) -> tuple[Path, list[Syllable]]:
    """Has a song sung; what is sung when."""
    random = np.random.default_rng(number)
    pitch, longest_s = int(random.integers(52, 61)), float(random.choice([0.5, 1.0, 2.0, LONGEST_S]))
    lines, notes = [], []
    for _ in range(SYLLABLES):
        if random.random() > SAME_SHARE:
            pitch = int(np.clip(pitch + random.choice(INTERVALS), 45, 69))
        lasts_s = round(float(np.exp(random.uniform(np.log(SHORTEST_S), np.log(longest_s)))), 3)
        # The synthesiser counts octaves from the lowest C of MIDI.
        name, word = f"{NAMES[pitch % 12]}{pitch // 12}", random.choice(WORDS.split())
        lines.append(f'<PITCH NOTE="{name}"><DURATION SECONDS="{lasts_s}">{word}</DURATION></PITCH>')
        notes.append((pitch, lasts_s))
    text, told, sound = (folder / f"song-{number:02d}{end}" for end in (".xml", ".txt", ".wav"))
    head = (
        '<?xml version="1.0"?>\n<!DOCTYPE SINGING PUBLIC "-//SINGING//DTD SINGING mark up//EN" "Singing.v0_1.dtd" []>'
    )
    text.write_text("\n".join([head, '<SINGING BPM="60">', *lines, "</SINGING>"]))
    hook = folder / "hook.scm"
    hook.write_text(f'(set! after_synth_hooks (list (lambda (utt) (utt.save.segs utt "{told}") utt)))')
    command = ["text2wave", "-mode", "singing", "-eval", hook, text, "-o", sound]
    subprocess.run(command, check=True, stderr=subprocess.DEVNULL)
    rows = [line.split() for line in told.read_text().splitlines()]
    ends = [(float(row[0]), row[2]) for row in rows if len(row) == 3]
    begins_s = [0.0, *(end_s for end_s, _ in ends)]
    return sound, syllables([(s, name) for s, (_, name) in zip(begins_s, ends, strict=False)], notes)


def syllables(sounds: list[tuple[float, str]], notes: list[tuple[int, float]]) -> list[Syllable]:
    """Of each note the syllable that is sung to it, from when each sound begins."""
    found, begins_s = [], 0.0
    for pitch, lasts_s in notes:
        own = [s for s in sounds if begins_s - LOOSE_S <= s[0] < begins_s + lasts_s - LOOSE_S]
        vowels = [s for s, name in own if name in VOWELS.split()]
        if vowels:
            before = [(s, name) for s, name in own if s < vowels[0]]
            voiceless = [s for s, name in before if name not in VOICED.split()]
            voiced = [s for s, _ in before if not voiceless or s > voiceless[-1]]
            found.append(Syllable(min([*voiced, vowels[0]]), vowels[0], begins_s + lasts_s, pitch))
        begins_s += lasts_s
    return found


def matched(sung: list[Syllable], notes: list[Candidate]) -> set[int]:
    """Which notes are syllables."""
    used: set[int] = set()
    for syllable in sung:
        earliest_s, latest_s = syllable.voice_s - BEFORE_S, syllable.vowel_s + AFTER_S
        near = [
            i
            for i, note in enumerate(notes)
            if i not in used and note.pitch == syllable.pitch and earliest_s <= note.onset_s <= latest_s
        ]
        used |= set(near[:1])
    return used


@dataclass
class Counted:
    """Syllables and notes of all songs so far."""

    right: int = 0
    again: int = 0
    sung: int = 0
    said: int = 0
    held_s: float = 0.0

    def add(self, sung: list[Syllable], notes: list[Candidate]) -> int:
        """Counts a song; how many of its syllables are found."""
        used = matched(sung, notes)
        others = [note for i, note in enumerate(notes) if i not in used]
        self.again += sum(
            any(s.pitch == n.pitch and s.vowel_s + AGAIN_S < n.onset_s < s.end_s for s in sung) for n in others
        )
        self.right, self.sung, self.said = self.right + len(used), self.sung + len(sung), self.said + len(notes)
        self.held_s += sum(s.end_s - s.vowel_s for s in sung)
        return len(used)

    def tell(self) -> None:
        """Prints what was counted."""
        f1 = 2 * self.right / (self.sung + self.said)
        print(f"F1 {f1:.3f}: of {self.sung} syllables {self.right} are found, in {self.said} notes")
        a_minute = 60 * self.again / self.held_s
        print(f"a syllable is said to be struck again {a_minute:.1f} times a minute of {self.held_s:.0f} s")


def main() -> None:
    folder = Path(sys.argv[1])
    folder.mkdir(parents=True, exist_ok=True)
    counted = Counted()
    for number in range(SONGS):
        path, sung = sing(number, folder)
        counted.add(sung, notes_in(path, "one"))
    counted.tell()


if __name__ == "__main__":
    main()
