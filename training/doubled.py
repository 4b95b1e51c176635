"""Notes doubled where their overtones lie: chance decides note by note, so that nothing but levels tells."""

from dataclasses import replace

import numpy as np

from training.performance import Struck, without_overlaps

# Octave, twelfth, two octaves, and the fifth and sixth partial.
STEPS, STEPS_P = (12, 19, 24, 28, 31), (0.5, 0.28, 0.12, 0.05, 0.05)
# Which notes of a clip are doubled: so many of all, and of these so many together with the note after.
LEAST_SHARE, MOST_SHARE, GOES_ON = 0.15, 0.7, 0.7
# The other is a little early or late, and softer or harder.
SPREAD_S, FORCE = 0.008, 12.0
GAPS_S = (0.003, 0.03)


def doubled(notes: list[Struck], high: int, random: np.random.Generator) -> list[Struck]:
    """Notes, some of them with another on one of their overtones, up to the pitch ``high``."""
    share = float(random.uniform(LEAST_SHARE, MOST_SHARE))
    step, doubles, added = 12, False, []
    for note in sorted(notes, key=lambda n: (n.onset_s, n.pitch)):
        if random.random() > GOES_ON:
            step, doubles = int(random.choice(STEPS, p=STEPS_P)), random.random() < share
        if doubles and note.pitch + step <= high:
            onset_s = max(note.onset_s + float(random.normal(0, SPREAD_S)), 0.0)
            velocity = int(np.clip(note.velocity + random.normal(0, FORCE), 12, 127))
            other = replace(note, onset_s=onset_s, pitch=note.pitch + step, velocity=velocity)
            added.append(replace(other, offset_s=max(note.offset_s, onset_s + 0.03)))
    return without_overlaps([*notes, *added], GAPS_S, random)
