"""The practice set as it would be elsewhere: on the telephone, in a room, in a hall, in noise, clipped.

    python -m bench.places FOLDER

Writes FOLDER/PLACE/TASK, clips with their truth, for ``score.py --set FOLDER/PLACE``. Moments are kept: what is
added comes after what sounds.
"""

import argparse
import shutil
from collections.abc import Callable
from pathlib import Path

import numpy as np
import soundfile
from numpy.typing import NDArray
from scipy import signal as dsp

from bench.textures import PRACTICE

Sound = NDArray[np.float64]
TASKS = ("single", "many", "hits", "beats", "align")
# The nearest wall is heard after this.
FIRST_ECHO_S = 0.004


def noisy(sound: Sound, under_db: float) -> Sound:
    """White noise so far under the mean level."""
    level = np.sqrt(np.mean(sound**2)) * 10 ** (-under_db / 20)
    return np.asarray(sound + level * np.random.default_rng(2).normal(size=sound.shape))


def in_a_room(sound: Sound, rate: int, tail_s: float, amount: float) -> Sound:
    """Diffuse echoes that fall by 60 dB in ``tail_s``; of the sound's own energy with an ``amount`` of 1."""
    time = np.arange(round(1.2 * tail_s * rate)) / rate
    echoes = np.random.default_rng(1).normal(size=len(time)) * np.exp(-6.9 * time / tail_s) * (time >= FIRST_ECHO_S)
    echoes /= np.sqrt(np.sum(echoes**2))
    return np.asarray(sound + amount * dsp.fftconvolve(sound, echoes[:, None], axes=0)[: len(sound)])


def on_the_telephone(sound: Sound, rate: int) -> Sound:
    """A narrow band, and noise."""
    band = dsp.butter(4, [250, 4000], "bandpass", fs=rate, output="sos")
    return noisy(np.asarray(dsp.sosfilt(band, sound, axis=0)), 30)


def clipped(sound: Sound) -> Sound:
    """Cut at a third of its peak."""
    most = 0.35 * np.abs(sound).max()
    return np.clip(sound, -most, most)


PLACES: dict[str, Callable[[Sound, int], Sound]] = {
    "telephone": on_the_telephone,
    "room": lambda sound, rate: in_a_room(sound, rate, 0.6, 0.8),
    "hall": lambda sound, rate: in_a_room(sound, rate, 1.6, 0.9),
    "noise": lambda sound, rate: noisy(sound, 15),
    "clipped": lambda sound, rate: clipped(sound),
}


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("folder", type=Path)
    folder = parser.parse_args().folder
    for place, put in PLACES.items():
        for task in TASKS:
            target = folder / place / task
            target.mkdir(parents=True, exist_ok=True)
            for path in sorted((PRACTICE / task).iterdir()):
                if path.suffix != ".flac":
                    shutil.copy(path, target)
                    continue
                sound, rate = soundfile.read(path, always_2d=True)
                made = put(sound, rate)
                soundfile.write(target / path.name, 0.8 * made / np.abs(made).max(), rate)


if __name__ == "__main__":
    main()
