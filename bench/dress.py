"""The same music in another dress: F1 against the plain file, moments within 5 ms.

python bench/dress.py [FOLDER]
"""

import os

os.environ.update(OMP_NUM_THREADS="1", OPENBLAS_NUM_THREADS="1")

import io
import sys
from collections.abc import Callable
from fractions import Fraction
from pathlib import Path

import av
import mir_eval
import numpy as np
import soundfile
import soxr

from honest_stave.core.formats.audio_read import open_audio
from honest_stave.core.pitch.forming import form_candidates
from honest_stave.core.pitch.notes_engine import read
from honest_stave.core.pitch.reading import DEFAULT_LEAST_CONFIDENCE, FormSettings, ReadSettings

PRACTICE = Path(__file__).parents[2] / "shared" / "practice" / "single"


def as_file(sound: np.ndarray, rate: int, kind: str = "WAV", subtype: str = "PCM_16") -> tuple[np.ndarray, int]:
    """The sound written in a format and decoded again as a take is."""
    out = io.BytesIO()
    with soundfile.SoundFile(out, "w", rate, sound.shape[1], subtype, format=kind) as file:
        for first in range(0, len(sound), 1 << 16):
            file.write(sound[first : first + (1 << 16)])
    return decoded(out)


def as_m4a(sound: np.ndarray, rate: int) -> tuple[np.ndarray, int]:
    out = io.BytesIO()
    with av.open(out, "w", format="mp4") as container:
        stream = container.add_stream("aac", rate=rate, layout="mono")
        mono = np.ascontiguousarray(sound.mean(axis=1, keepdims=True).T, np.float32)
        frame = av.AudioFrame.from_ndarray(mono, format="fltp", layout="mono")
        frame.sample_rate, frame.pts, frame.time_base = rate, 0, Fraction(1, rate)
        for packet in [*stream.encode(frame), *stream.encode(None)]:
            container.mux(packet)
    return decoded(out)


def decoded(out: io.BytesIO) -> tuple[np.ndarray, int]:
    out.seek(0)
    info, blocks = open_audio(out)
    return np.concatenate(list(blocks)), info.rate


def sharper(sound: np.ndarray, rate: int) -> tuple[np.ndarray, int]:
    """40 cents sharp: the same samples, said to run faster; moments are scaled back."""
    return np.asarray(soxr.resample(sound, rate * 2 ** (40 / 1200), rate), np.float32), rate


Dress = Callable[[np.ndarray, int], tuple[np.ndarray, int]]
DRESSES: dict[str, Dress] = {
    "wav 8 bit": lambda x, r: as_file(x, r, subtype="PCM_U8"),
    "wav 24 bit": lambda x, r: as_file(x, r, subtype="PCM_24"),
    "wav float": lambda x, r: as_file(x, r, subtype="FLOAT"),
    "22.05 kHz": lambda x, r: (np.asarray(soxr.resample(x, r, 22050), np.float32), 22050),
    "96 kHz": lambda x, r: (np.asarray(soxr.resample(x, r, 96000), np.float32), 96000),
    "flac": lambda x, r: as_file(x, r, "FLAC"),
    "aiff": lambda x, r: as_file(x, r, "AIFF"),
    "mp3": lambda x, r: as_file(x, r, "MP3", "MPEG_LAYER_III"),
    "ogg": lambda x, r: as_file(x, r, "OGG", "VORBIS"),
    "m4a": as_m4a,
    "34 dB quieter": lambda x, r: (x * np.float32(10 ** (-34 / 20)), r),
    "clipped": lambda x, r: (np.clip(x / np.abs(x).max() * 2, -1, 1), r),
    "upside down": lambda x, r: (-x, r),
    "constant offset": lambda x, r: (x * 0.7 + np.float32(0.2), r),
    "one channel silent": lambda x, r: (np.stack([x.mean(axis=1), np.zeros(len(x), np.float32)], axis=1), r),
    "40 cents sharp": sharper,
}


def notes(sound: np.ndarray, rate: int) -> tuple[np.ndarray, np.ndarray]:
    found = form_candidates(read(sound, rate, ReadSettings()), FormSettings())
    counted = [c for c in found if c.confidence >= DEFAULT_LEAST_CONFIDENCE]
    return np.array([c.onset_s for c in counted]), np.array([float(c.pitch) for c in counted])


def agreement(plain: tuple[np.ndarray, np.ndarray], other: tuple[np.ndarray, np.ndarray]) -> tuple[float, float]:
    """F1 at 50 ms, and the share of matched moments within 5 ms."""
    spans = [np.stack([onset, onset + 0.1], axis=1) for onset, _ in (plain, other)]
    hz = [mir_eval.util.midi_to_hz(pitch) for _, pitch in (plain, other)]
    pairs = mir_eval.transcription.match_notes(spans[0], hz[0], spans[1], hz[1], offset_ratio=None)
    near = [abs(plain[0][i] - other[0][j]) <= 0.005 for i, j in pairs]
    return 2 * len(pairs) / max(1, len(plain[0]) + len(other[0])), float(np.mean(near)) if near else 0.0


def main() -> None:
    folder = Path(sys.argv[1]) if len(sys.argv) > 1 else PRACTICE
    clips = [soundfile.read(p, dtype="float32", always_2d=True) for p in sorted(folder.glob("*.flac"))]
    plain = [notes(sound, rate) for sound, rate in clips]
    print(f"{'dress':22}{'F1':>8}{'within 5 ms':>14}")
    for name, dress in DRESSES.items():
        scores = []
        for (sound, rate), reference in zip(clips, plain, strict=True):
            onset, pitch = notes(*dress(sound, rate))
            if name == "40 cents sharp":
                onset = onset * 2 ** (40 / 1200)
            scores.append(agreement(reference, (onset, pitch)))
        f1, near = np.mean(scores, axis=0)
        print(f"{name:22}{f1:8.3f}{near:14.3f}", flush=True)


if __name__ == "__main__":
    main()
