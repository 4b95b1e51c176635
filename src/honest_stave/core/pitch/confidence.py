"""How sure a candidate is: a logistic model on what was measured.

The weights were fitted on rendered lines of made-up music (see bench/README.md) so
that, of the candidates at 0.8, about eight in ten are right.
"""

import numpy as np
from numpy.typing import NDArray

Values = NDArray[np.float64]

INTERCEPT = -16.734
WEIGHTS = (6.266, 0.972, -0.116, 0.015, -1.384, 0.825, 13.147)
LEAST, MOST = 0.01, 0.99


def confidence_features(
    *,
    strength: Values,
    duration_s: Values,
    below_reference_db: Values,
    above_floor_db: Values,
    rival_ratio: Values,
    price_ratio: Values,
    purity: Values,
) -> Values:
    """The model's inputs (candidates, 7), each bounded so that no single one decides."""
    return np.stack(
        [
            np.clip(strength, 0.0, 1.0),
            np.log2(np.clip(duration_s, 0.02, 0.6) / 0.1),
            np.clip(below_reference_db, -6.0, 50.0),
            np.clip(above_floor_db, 0.0, 40.0),
            np.clip(rival_ratio, 0.0, 1.0),
            np.log2(np.clip(price_ratio, 0.25, 16.0)),
            np.clip(purity, 0.0, 1.0),
        ],
        axis=1,
    )


def confidence(**measured: Values) -> Values:
    """Confidence (candidates,) from the measures named in ``confidence_features``."""
    score = INTERCEPT + confidence_features(**measured) @ np.array(WEIGHTS)
    return np.asarray(np.clip(1.0 / (1.0 + np.exp(-score)), LEAST, MOST))
