"""Excerpts of public-domain scores that the music21 package ships, parsed once and kept.

Pieces that share long melodies with the clips we measure on are left out, and every fifth
piece is kept out of training for the tuning set.
"""

import json
from pathlib import Path

import numpy as np

from training.performance import Struck

PRACTICE = Path(__file__).parents[2] / "shared" / "practice"
KEPT_OUT_EVERY = 5
# This many intervals in a row in common are no coincidence.
COMMON_INTERVALS = 14


def _practice_melodies() -> set[tuple[int, ...]]:
    found: set[tuple[int, ...]] = set()
    for path in sorted(PRACTICE.glob("*/*.json")):
        truth = json.loads(path.read_text())
        if not isinstance(truth, dict) or not truth.get("notes") or "pitch" not in truth["notes"][0]:
            continue
        pitches = [n["pitch"] for n in sorted(truth["notes"], key=lambda n: n.get("onset_s", 0))]
        found |= _grams(pitches)
    return found


def _grams(pitches: list[int]) -> set[tuple[int, ...]]:
    steps = np.diff(pitches).tolist()
    return {tuple(steps[i : i + COMMON_INTERVALS]) for i in range(len(steps) - COMMON_INTERVALS + 1)}


def _parse(limit: int) -> list[list[list[float]]]:
    from music21 import corpus

    melodies = _practice_melodies()
    paths = [p for p in corpus.getComposer("bach") if str(p).endswith((".mxl", ".xml", ".krn"))]
    paths += [p for c in ("haydn", "mozart", "beethoven", "monteverdi", "palestrina") for p in corpus.getComposer(c)]
    chosen = np.random.default_rng(3).permutation(len(paths))[: limit * 2]
    pieces: list[list[list[float]]] = []
    for i in chosen.tolist():
        try:
            score = corpus.parse(paths[i])
            parts = list(score.parts)
            notes = []
            for number, part in enumerate(parts):
                line = []
                for element in part.flatten().notes:
                    for pitch in element.pitches:
                        line.append([float(element.offset), float(element.quarterLength), int(pitch.midi), number])
                if _grams([int(n[2]) for n in line]) & melodies:
                    raise LookupError
                notes += line
        except Exception:
            # A piece that a package cannot parse, or one we measure on, is simply not used.
            continue
        if len(notes) > 60:
            pieces.append(sorted(notes))
        if len(pieces) >= limit:
            break
    return pieces


def load_pieces(cache: Path, limit: int = 160) -> list[list[list[float]]]:
    """Pieces as rows [onset, duration (quarters), pitch, part]; parsed at first use."""
    path = cache / f"scores-{limit}.json"
    if not path.exists():
        cache.mkdir(parents=True, exist_ok=True)
        path.write_text(json.dumps(_parse(limit)))
    pieces: list[list[list[float]]] = json.loads(path.read_text())
    return pieces


def excerpt(
    random: np.random.Generator, pieces: list[list[list[float]]], low: int, high: int, length_s: float
) -> list[Struck]:
    """An excerpt at a random tempo, transposed by octaves and a few semitones into the range."""
    piece = np.array(pieces[int(random.integers(len(pieces)))])
    quarter_s = float(random.uniform(0.3, 0.85))
    start = float(random.choice(piece[: max(1, len(piece) * 2 // 3), 0]))
    inside = piece[(piece[:, 0] >= start) & (piece[:, 0] < start + length_s / quarter_s) & (piece[:, 1] > 0)]
    shift = int(random.integers(-3, 4))
    middle = float(np.median(inside[:, 2])) + shift
    shift += 12 * round(((low + high) / 2 - middle) / 12)
    legato = float(random.choice([1.0, 1.0, 0.97, 0.8]))
    notes = []
    for onset, duration, pitch, _ in inside.tolist():
        if low <= pitch + shift <= high:
            begin = 0.1 + (onset - start) * quarter_s
            notes.append(Struck(begin, begin + max(0.06, duration * quarter_s * legato), int(pitch + shift), 80))
    return notes
