"""Made-up or borrowed music of one voice or many, as hands play it."""

from dataclasses import replace

import numpy as np

from training.borrowed import excerpt
from training.clips import LENGTH_S, one_at_a_time
from training.performance import Struck, humanise, without_overlaps
from training.textures import line, make_many


def played(
    random: np.random.Generator,
    kind: str,
    low: int,
    high: int,
    pieces: list[list[list[float]]],
    borrowed_share: float,
) -> tuple[list[Struck], float]:
    """Notes of a clip and the velocity in their middle.

    Args:
        random: source of chance.
        kind: one of ``clips.KINDS``.
        low, high: range.
        pieces: public-domain scores.
        borrowed_share: how often music of many voices is an excerpt of them.
    """
    spread_s, loudness = float(random.uniform(0.002, 0.012)), float(random.uniform(55, 105))
    if kind == "one":
        notes = humanise(line(random, low, high, LENGTH_S), random, spread_s=spread_s, loudness=loudness)
        notes = one_at_a_time(notes, random)
    else:
        notes = excerpt(random, pieces, low, high, LENGTH_S) if random.random() < borrowed_share else []
        notes = notes or make_many(random, kind, low, high, LENGTH_S)
        notes = humanise([replace(n, part=0) for n in notes], random, spread_s=spread_s, loudness=loudness)
        notes = without_overlaps(notes, (0.003, 0.03), random)
    return [replace(n, offset_s=min(n.offset_s, LENGTH_S)) for n in notes if n.onset_s < LENGTH_S - 0.1], loudness
