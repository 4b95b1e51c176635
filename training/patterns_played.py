"""The patterns of loops whose truth is known, played by another kit."""

from typing import Any

import numpy as np

from training.dress import dress
from training.hit_clips import HitClip, strike
from training.one_shots import RATE, Kit

# What a kit plays a drum with, the first that it holds.
ROLES = {
    "kick": ("kick",), "snare": ("snare",), "hat": ("hat", "open hat"), "tom": ("tom",),
    "cymbal": ("ride", "crash"), "other": ("other",),
}  # fmt: skip
# How far levels of drums lie apart from kit to kit, and where its hats lie.
LEVEL_SPREAD_DB, HAT_LEVELS = 4, (0.15, 0.9)
RINGS_S = 1.6


def play_pattern(seed: int, kit: Kit, hits: list[dict[str, Any]], length_s: float) -> HitClip:
    """A loop of a pattern.

    Args:
        seed: of the levels of the drums, which of their sounds are taken, and the dress.
        kit: drums that the kit does not hold are left out.
        hits: ``time_s``, ``drum`` and ``velocity`` (1 to 127) of each stroke.
        length_s: of the loop.
    """
    random = np.random.default_rng([19, seed])
    role_of = {drum: next((r for r in roles if r in kit), "") for drum, roles in ROLES.items()}
    chosen = {r: [kit[r][i] for i in random.permutation(len(kit[r]))] for r in role_of.values() if r}
    louder = {r: float(10 ** (random.normal(0, LEVEL_SPREAD_DB) / 20)) for r in chosen}
    if hat := role_of["hat"]:
        louder[hat] *= float(random.uniform(*HAT_LEVELS))
    sound = np.zeros(round((length_s + 2) * RATE), np.float32)
    rows: list[tuple[float, int, float]] = []
    for hit in hits:
        role = role_of[hit["drum"]]
        if role:
            strike(sound, rows, chosen[role], role, hit["time_s"], hit["velocity"] / 127, 1.0, louder[role], RINGS_S)
    return HitClip(dress(sound[: round(length_s * RATE)], RATE, random), np.array(sorted(rows)))
