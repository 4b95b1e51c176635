"""Sounds of the click: struck blocks and bells, by their partials."""

# Partials (ratio, level, time to die in s) and pitch of a beat in Hz, by name of the sound.
CLICK_SOUNDS: dict[str, tuple[float, tuple[tuple[float, float, float], ...]]] = {
    "wood": (1150.0, ((1.0, 1.0, 0.012), (2.76, 0.4, 0.006))),
    "tick": (2900.0, ((1.0, 1.0, 0.004), (1.51, 0.5, 0.003))),
    "bell": (880.0, ((1.0, 1.0, 0.09), (2.4, 0.5, 0.05), (4.1, 0.2, 0.02))),
}
# The built-in instrument that plays each of them.
INSTRUMENT_OF = {"wood": "click", "tick": "tick", "bell": "bell"}
# Pitch of an accent and of what lies between beats against that of a beat.
RATIOS = {"accent": 1.5, "beat": 1.0, "between": 0.8}


def click_hz(sound: str, kind: str) -> float:
    """Pitch (Hz) of a click of a sound: ``accent``, ``beat`` or ``between``."""
    return CLICK_SOUNDS[sound][0] * RATIOS[kind]
