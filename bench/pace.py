"""How a recording sounds slowed down: strokes as sharp as they were and where they belong, pieces without seams.

    python -m bench.pace

Strokes: 25 ms of the practice recordings around each true onset, and the same place of the slow one, moved by up to
10 ms to where both are most alike. Seams: how much sharper the waveform bends within 3 ms around a join of two pieces
than in the tenths of a second beside it. Last, the recordings with beats made steady, as the proof of a hand-on
tells it.
"""

import json
from pathlib import Path

import numpy as np
import soundfile
from numpy.typing import NDArray

from honest_stave.core.beat.beat_map import Beat, BeatMap
from honest_stave.core.beat.straight import plan_straightening, prove_straight, straightened
from honest_stave.core.sound.pace import joining_piece
from honest_stave.core.sound.struck import strokes_between

PRACTICE = Path(__file__).parents[2] / "shared" / "practice"
FOLDERS = ("hits", "many", "single")
PACES = (0.25, 0.5, 0.8)
PIECE_S = 4.0
BEFORE_S, AFTER_S, MOVED_S = 0.005, 0.020, 0.010
# Onsets closer than this are one.
APART_S = 0.02
SEAM_S, BESIDE_S = 0.0015, 0.1


def slowed(samples: NDArray[np.float32], rate: int, pace: float) -> NDArray[np.float32]:
    """All whole pieces of a recording as the player joins them, (frames,)."""
    starts_s = np.arange(0, len(samples) / rate - PIECE_S, PIECE_S)
    pieces = [joining_piece(samples, rate, start, start + PIECE_S, pace) for start in starts_s.tolist()]
    return np.concatenate(pieces, axis=1).mean(axis=0)


def strokes(
    dry: NDArray[np.float32], slow: NDArray[np.float32], rate: int, pace: float, onset_s: list[float]
) -> list[tuple[float, float]]:
    """How far each stroke lies from its place (s), and how like it is what it was, 0 to 1."""
    found = []
    before, after, moved = (round(s * rate) for s in (BEFORE_S, AFTER_S, MOVED_S))
    for moment_s in onset_s:
        at, there = round(moment_s * rate), round(moment_s / pace * rate)
        was = dry[max(at - before, 0) : at + after]
        near = slow[max(there - before - moved, 0) : there + after + moved]
        if len(was) < before + after or len(near) < before + after + 2 * moved:
            continue
        loudness = np.sqrt(np.convolve(near**2, np.ones(len(was)), "valid") * (was**2).sum()) + 1e-9
        like = np.correlate(near, was, "valid") / loudness
        found.append((abs(int(like.argmax()) - moved) / rate, float(like.max())))
    return found


def seams_db(slow: NDArray[np.float32], rate: int, pace: float) -> list[float]:
    """How much sharper the waveform bends at each join than beside it, dB."""
    bend = np.diff(slow.astype(np.float64), 2) ** 2
    half, beside = round(SEAM_S * rate), round(BESIDE_S * rate)
    every = round(PIECE_S / pace * rate)
    found = []
    for seam in range(every, len(bend) - beside - half, every):
        around = [
            bend[seam + k - half : seam + k + half].mean()
            for k in range(-beside, beside, 2 * half)
            if abs(k) > 4 * half
        ]
        found.append(10 * np.log10((bend[seam - half : seam + half].mean() + 1e-15) / (np.median(around) + 1e-15)))
    return found


def straightened_strokes() -> None:
    """The recordings with beats made steady by their true beats: strokes found again, and how far off."""
    for path in sorted((PRACTICE / "beats").glob("*.flac")):
        samples, rate = soundfile.read(path, dtype="float32", always_2d=True)
        beats = json.loads(path.with_suffix(".json").read_text())["beats"]
        time_s = [beat["time_s"] for beat in beats]
        beat_map = BeatMap(path.stem, "", "", tuple(Beat(time) for time in time_s))
        plan = plan_straightening(samples, rate, beat_map, 60 / float(np.median(np.diff(time_s))))
        steady = np.concatenate(list(straightened(samples, rate, plan)))
        proof = prove_straight(plan, strokes_between(steady, rate, 0.0, len(steady) / rate))
        print(
            f"{path.stem} made steady: {proof.found} of {proof.strokes} strokes found again, "
            f"off {proof.middle_ms:.2f} in the middle, {proof.nine_in_ten_ms:.2f} ms at nine in ten"
        )


def main() -> None:
    for folder in FOLDERS:
        for pace in PACES:
            lying: list[tuple[float, float]] = []
            seams: list[float] = []
            for path in sorted((PRACTICE / folder).glob("*.flac")):
                samples, rate = soundfile.read(path, dtype="float32", always_2d=True)
                truth = json.loads(path.with_suffix(".json").read_text())
                moments = np.unique(
                    [each.get("onset_s", each.get("time_s")) for each in truth.get("hits", truth.get("notes"))]
                )
                apart = moments[np.diff(moments, prepend=-1.0) > APART_S]
                slow = slowed(samples, rate, pace)
                lying += strokes(samples.mean(axis=1), slow, rate, pace, apart.tolist())
                seams += seams_db(slow, rate, pace)
            off_s, like = np.array(lying).T
            print(
                f"{folder} at {pace}: {len(off_s)} strokes, off {_two(1e3 * off_s, 0.9)} ms, "
                f"like {_two(like, 0.1)}; {len(seams)} seams, {_two(np.array(seams), 0.9)} dB"
            )

    straightened_strokes()


def _two(values: NDArray[np.float64], share: float) -> str:
    return f"{np.median(values):.2f} in the middle, {np.quantile(values, share):.2f} at nine in ten"


if __name__ == "__main__":
    main()
