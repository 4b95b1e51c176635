"""Writes the performances of the practice set, played by a soundfont, as recordings with known beats.

    python -m bench.performances FOLDER FONT.sf2

Half of them are tunes alone and free playing on a piano. Needs Debian's fluidsynth; then ``score.py --set FOLDER
--only beats``.
"""

import argparse
import json
import subprocess
import tempfile
from pathlib import Path

import soundfile

from bench.textures import PRACTICE

RATE = 44100


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("folder", type=Path)
    parser.add_argument("font", type=Path)
    options = parser.parse_args()
    target = options.folder / "beats"
    target.mkdir(parents=True, exist_ok=True)
    for path in sorted((PRACTICE / "rhythm").glob("*.mid")):
        truth = json.loads(path.with_suffix(".beats.json").read_text())
        beats = [{name: beat[name] for name in ("time_s", "bar", "beat")} for beat in truth["beats"]]
        with tempfile.NamedTemporaryFile(suffix=".wav") as wav:
            play = ["fluidsynth", "-ni", "-q", "-g", "0.6", "-F", wav.name, "-r", str(RATE)]
            subprocess.run([*play, str(options.font), str(path)], check=True, capture_output=True)
            samples, rate = soundfile.read(wav.name)
        soundfile.write(target / f"{path.stem}.flac", samples, rate)
        (target / f"{path.stem}.json").write_text(json.dumps({"beats": beats, "meters": truth["meters"]}))


if __name__ == "__main__":
    main()
