"""The zones of a kit: every slice with a key as a sound that samplers can load, and the whole loop."""

from collections.abc import Callable, Sequence

import numpy as np

from honest_stave.core.formats.zones import Zone
from honest_stave.core.hits.kit import Kit, Slice
from honest_stave.core.hits.slice_sound import Samples, sound_of

# Each zone goes on a little into what follows and fades: rounding to ticks never clicks.
OVERLAP_S = 0.005
FADED_RELEASE_S = 0.08
HATS = 1
LOOP_NAME = "whole loop"
SAME_LENGTH = 1e-3


def zone_sound(samples: Samples, piece: Slice, rate: int) -> Samples:
    """The slice with its short faded overlap."""
    sound = sound_of(samples, piece, rate)
    count = round(OVERLAP_S * rate)
    settings = piece.settings
    plain = not (settings.reversed or settings.muted or settings.take or settings.fade_s or settings.end == "sound")
    following = np.array(samples[piece.last : piece.last + count] if plain else sound[:0], np.float32)
    if settings.gain_db:
        following *= np.float32(10 ** (settings.gain_db / 20))
    fade = np.linspace(1, 0, count + 1, dtype=np.float32)[1:]
    return np.concatenate([sound, following * fade[: len(following), None]])


def name_of(piece: Slice, number: int) -> str:
    """A slice's name, a file name: ``08 kick hat``."""
    return " ".join([f"{number:02d}", *(s.drum for s in piece.strikes)])


def zones_of(
    kit: Kit,
    slices: Sequence[Slice],
    keys: dict[str, int],
    samples_of: Callable[[Slice], Samples],
    rate: int,
) -> list[Zone]:
    """Zones of the slices that have a key, in order of the keys.

    Args:
        kit: says what becomes of tails, and whether hats end each other.
        slices: all of them.
        keys: by id of a slice.
        samples_of: the samples that a slice is cut from, (frames, channels).
        rate: Hz.
    """
    numbers = {s.id: i for i, s in enumerate(slices, 1)}
    zones = [
        Zone(
            key=keys[piece.id],
            name=name_of(piece, numbers[piece.id]),
            sound=zone_sound(samples_of(piece), piece, rate),
            choke=HATS if kit.choke_hats and any(s.drum == "hat" for s in piece.strikes) else 0,
            one_shot=kit.tails == "ring",
            release_s=FADED_RELEASE_S if kit.tails == "fade" else OVERLAP_S,
        )
        for piece in slices
        if piece.id in keys
    ]
    return sorted(zones, key=lambda z: z.key)


def at_length(sound: Samples, rate: int, times: float) -> Samples:
    """A sound stretched or squeezed to so many times its length with its pitch kept; itself for about once."""
    if abs(times - 1) < SAME_LENGTH:
        return sound
    from honest_stave.core.sound.pace import at_pace

    return at_pace(sound, rate, 0.0, len(sound) / rate, 1 / times)


def stretched_tail(sound: Samples, rate: int, times: float, attack_s: float = 0.06) -> Samples:
    """A slice made longer: its attack stays, its tail is stretched with its pitch kept.

    Args:
        sound: (frames, channels).
        rate: Hz.
        times: wanted length against the present one, 1 or more.
        attack_s: what stays as it is.
    """
    from honest_stave.core.sound.warped import WINDOW_S, warped

    length_s, wanted = len(sound) / rate, round(times * len(sound))
    if length_s <= 2 * attack_s or wanted <= len(sound):
        return sound
    # Windows reach back into the attack by half their length.
    own_pace_s = min(attack_s + WINDOW_S / 2, (attack_s + length_s) / 2)
    from_s, to_s = np.array([0.0, own_pace_s, length_s]), np.array([0.0, own_pace_s, wanted / rate])
    made = np.concatenate(list(warped(sound, rate, from_s, to_s, np.zeros(0))))
    made[: round(attack_s * rate)] = sound[: round(attack_s * rate)]
    fade = min(round(OVERLAP_S * rate), len(made))
    made[len(made) - fade :] *= np.linspace(1, 0, fade, dtype=np.float32)[:, None]
    return made
