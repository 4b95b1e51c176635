"""Writes clips of real recorded instruments in no training, with their truth, to be scored like recordings.

    npm install --prefix SAMPLES --ignore-scripts @audio-samples/piano-velocity{2,4,6,8,10,12,14} \\
        tonejs-instrument-{violin,cello,contrabass,flute,clarinet,...}-mp3
    python -m training.write_recorded FOLDER CACHE --samples SAMPLES/node_modules --clips 60

The music is of our own and from the scores that the tuning set alone uses; a clip lasts 16 s.
"""

import argparse
import json
from dataclasses import replace
from pathlib import Path

import numpy as np
import soundfile

from training import clips, recorded_notes
from training.borrowed import KEPT_OUT_EVERY, excerpt, load_pieces
from training.dress import dress
from training.performance import Performance, Struck, humanise, without_overlaps
from training.recorded_notes import RATE, Recorded
from training.textures import line, make_many
from training.written import notes_of

WEB_NAME = "tonejs-instrument-{}-mp3"
# Instrument: how it plays, and the time constant of its release in seconds.
ONE_VOICE = {
    "violin": ("sustained", 0.06), "cello": ("sustained", 0.07), "contrabass": ("sustained", 0.08),
    "flute": ("sustained", 0.03), "clarinet": ("sustained", 0.03), "saxophone": ("sustained", 0.03),
    "bassoon": ("sustained", 0.03), "trumpet": ("sustained", 0.03), "trombone": ("sustained", 0.03),
    "french-horn": ("sustained", 0.04), "tuba": ("sustained", 0.04), "bass-electric": ("plucked", 0.03),
    "guitar-electric": ("plucked", 0.03), "xylophone": ("plucked", 0.3),
}  # fmt: skip
MANY_VOICES = {
    "salamander": ("keys", 0.05), "piano": ("keys", 0.05), "guitar-acoustic": ("plucked", 0.05),
    "guitar-nylon": ("plucked", 0.05), "harp": ("plucked", 0.4), "organ": ("sustained", 0.02),
    "harmonium": ("sustained", 0.04), "violin+cello": ("sustained", 0.06), "salamander 2": ("keys", 0.05),
}  # fmt: skip
# Files whose sound is a semitone off their name.
WRONGLY_NAMED = {("cello", 70), ("clarinet", 90), ("guitar-nylon", 74), ("salamander", 108)}


def open_instrument(samples: Path, name: str, release_s: float) -> Recorded:
    """An instrument by its name in the tables above, ``violin+cello`` being both of them."""
    plain = name.split()[0]
    if plain == "salamander":
        folders = sorted((samples / "@audio-samples").glob("piano-velocity*"))
    else:
        folders = [samples / WEB_NAME.format(part) for part in reversed(plain.split("+"))]
    opened = recorded_notes.open_folders(name, folders, release_s)
    kept = {key: path for key, path in opened.files.items() if (plain, key[0]) not in WRONGLY_NAMED}
    return replace(opened, files=kept)


def _perform(instrument: Recorded, manner: str, one: bool, pieces: list[list[list[float]]], seed: int) -> Performance:
    """What is played: a line or many voices, with hands, within the instrument's range."""
    random = np.random.default_rng([29, seed])
    low, high, length_s = max(instrument.lowest, 28), min(instrument.highest, 96), clips.LENGTH_S
    pedal: tuple[tuple[float, float], ...] = ()
    spread_s, loudness = float(random.uniform(0.002, 0.014)), float(random.uniform(50, 100))
    notes: list[Struck]
    if one:
        played = humanise(line(random, low, high, length_s), random, spread_s=spread_s, loudness=loudness)
        notes = clips.one_at_a_time(played, random)
    else:
        notes = excerpt(random, pieces, low, high, length_s) if random.random() < 0.5 else []
        notes = notes or make_many(random, manner, low, high, length_s)
        notes = humanise(notes, random, spread_s=spread_s, loudness=loudness)
        notes = without_overlaps([replace(n, part=0) for n in notes], (0.003, 0.03), random)
        if manner == "keys" and random.random() < 0.5:
            pedal = clips.make_pedal(notes, random)
    notes = [replace(n, offset_s=min(n.offset_s, length_s)) for n in notes if n.onset_s < length_s - 0.1]
    return Performance(tuple(recorded_notes.playable(instrument, notes)), pedal)


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("folder", type=Path)
    parser.add_argument("cache", type=Path)
    parser.add_argument("--samples", type=Path, required=True)
    parser.add_argument("--clips", type=int, default=60)
    options = parser.parse_args()
    pieces = [p for i, p in enumerate(load_pieces(options.cache)) if i % KEPT_OUT_EVERY == 0]
    for number in range(options.clips):
        one = number % 2 == 0
        table = list((ONE_VOICE if one else MANY_VOICES).items())
        name, (manner, release_s) = table[number // 2 % len(table)]
        instrument = open_instrument(options.samples, name, release_s)
        performance = _perform(instrument, manner, one, pieces, number)
        sound, onset_s, sounding_off_s = recorded_notes.render(instrument, performance)
        sound = dress(sound, RATE, np.random.default_rng([31, number]))
        offset_s = np.minimum([n.offset_s for n in performance.notes], sounding_off_s)
        played = performance.notes
        notes = notes_of(onset_s, offset_s, sounding_off_s, [n.pitch for n in played], [n.velocity for n in played])
        path = options.folder / ("single" if one else "many") / f"{number:02d}-{name.replace(' ', '-')}"
        path.parent.mkdir(parents=True, exist_ok=True)
        soundfile.write(path.with_suffix(".flac"), sound, RATE, subtype="PCM_16")
        path.with_suffix(".json").write_text(json.dumps({"notes": notes, "instrument": name}))


if __name__ == "__main__":
    main()
