"""Scores with their bars from the public-domain pieces that the music21 package ships, parsed once and kept."""

import json
from pathlib import Path

import numpy as np

from training.beat_scores import Score, Written
from training.borrowed import KEPT_OUT_EVERY, _grams, _practice_melodies

# Quarters of a felt beat and whether it is divided in three, by time signature.
FELT = {
    "2/4": (1.0, False), "3/4": (1.0, False), "4/4": (1.0, False), "2/2": (1.0, False), "4/2": (2.0, False),
    "3/2": (2.0, False), "6/8": (1.5, True), "9/8": (1.5, True), "12/8": (1.5, True), "3/8": (0.5, False),
}  # fmt: skip


def _parse(limit: int) -> list[dict[str, object]]:
    from music21 import corpus

    melodies = _practice_melodies()
    paths = [p for p in corpus.getComposer("bach") if str(p).endswith((".mxl", ".xml", ".krn"))]
    paths = [paths[i] for i in np.random.default_rng(5).permutation(len(paths))[:limit]]
    others = [p for c in ("haydn", "mozart", "beethoven", "schumann", "corelli") for p in corpus.getComposer(c)]
    paths += [others[i] for i in np.random.default_rng(6).permutation(len(others))[: limit // 2]]
    pieces: list[dict[str, object]] = []
    for path in paths:
        try:
            pieces.append(parsed_piece(corpus.parse(path), melodies))
        except Exception:
            # A piece that a package cannot parse, or one we measure on, is simply not used.
            continue
    return pieces


def parsed_piece(score, melodies, least_notes: int = 80) -> dict[str, object]:
    """Notes and bars of a parsed score in one meter.

    Raises:
        LookupError: it changes its meter, is short or very long, or shares a melody with ``melodies``.
    """
    measures = list(score.parts[0].getElementsByClass("Measure"))
    rows = []
    for measure in measures:
        signature = measure.timeSignature or measure.getContextByClass("TimeSignature")
        felt, compound = FELT[signature.ratioString]
        rows.append((float(measure.offset), float(measure.duration.quarterLength), felt, compound))
    felt, compound = rows[1][2:]
    if any((f, c) != (felt, compound) for _, _, f, c in rows):
        raise LookupError
    notes = []
    for number, part in enumerate(score.parts):
        line = [
            [float(e.offset), float(e.quarterLength), int(pitch.midi), number]
            for e in part.flatten().notes for pitch in e.pitches
        ]  # fmt: skip
        if _grams([int(n[2]) for n in line]) & melodies:
            raise LookupError
        notes += line
    if len(notes) < least_notes or max(n[0] for n in notes) > 1200:
        raise LookupError
    return {"notes": sorted(notes), "bars": [(o, d) for o, d, _, _ in rows], "felt": felt, "compound": compound}


def bar_score(piece: dict[str, object]) -> Score | None:
    """A piece in felt beats from its first full bar, or None where its bars are of uneven felt beats."""
    felt = float(piece["felt"])
    bars = [(o / felt, d / felt) for o, d in piece["bars"] if d > 0]
    usual = float(np.median([d for _, d in bars]))
    pickup = bars[0][1] < usual - 0.01
    origin = bars[1][0] if pickup else bars[0][0]
    starts = [o - origin for o, _ in _whole(bars[int(pickup) :], usual)]
    if len(starts) < 6 or usual < 1.9 or any(abs(s - round(s)) > 0.01 for s in starts):
        return None
    # The bar before the first one holds the pickup.
    places = [-round(usual), *[round(s) for s in starts]]
    lengths = np.diff([*places, places[-1] + round(usual)]).tolist()
    if min(lengths) < 1 or max(lengths) > 7:
        return None
    shift = round(usual)
    notes = [
        Written(o / felt - origin + shift, d / felt, int(p), min(int(part), 2), 0.0)
        for o, d, p, part in piece["notes"] if d > 0
    ]  # fmt: skip
    if min(n.onset for n in notes) < 0:
        return None
    begin = tuple(p + shift for p in places)
    return Score(tuple(notes), begin, tuple(lengths), bool(piece["compound"]), "borrowed")


def _whole(bars: list[tuple[float, float]], usual: float) -> list[tuple[float, float]]:
    """Bars in which the two parts of one that a repeat sign divides are one again."""
    whole: list[tuple[float, float]] = []
    for begin, beats in bars:
        if whole and whole[-1][1] < usual - 0.01 and abs(whole[-1][1] + beats - usual) < 0.01:
            whole[-1] = (whole[-1][0], usual)
        else:
            whole.append((begin, beats))
    return whole


def load_scores(cache: Path, *, tuning: bool, limit: int = 150) -> list[Score]:
    """Scores in felt beats; every fifth is kept for the tuning set."""
    path = cache / f"beat-scores-{limit}.json"
    if not path.exists():
        path.write_text(json.dumps(_parse(limit)))
    scores = [s for s in map(bar_score, json.loads(path.read_text())) if s]
    return [s for i, s in enumerate(scores) if (i % KEPT_OUT_EVERY == 0) == tuning]
