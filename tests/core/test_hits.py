"""The engine for hits on strokes whose moments are known to the sample."""

from collections.abc import Callable

import numpy as np
import pytest
import soxr
from scipy.signal import butter, sosfilt
from scipy.stats import spearmanr

from honest_stave.core.hits.hearing import BANDS, LEAD_FRAMES, measure_levels
from honest_stave.core.hits.hits_engine import read
from honest_stave.core.hits.kinds import kinds_of
from honest_stave.core.hits.reading import DRUMS, ENGINE, READABLE, HitSettings, HitsReading
from honest_stave.core.signal.listen import ListenSettings
from tests.made import RATE, Note, line

STEP_S = 0.3
KICKS, SNARES = (0, 4, 6), (2, 5, 7)


def kick(loudness: float = 1.0) -> np.ndarray:
    into = np.arange(round(0.25 * RATE)) / RATE
    hz = 50 + 110 * np.exp(-into / 0.02)
    return loudness * np.sin(2 * np.pi * np.cumsum(hz) / RATE) * np.exp(-into / 0.07)


def snare(loudness: float = 1.0) -> np.ndarray:
    into = np.arange(round(0.25 * RATE)) / RATE
    noise = np.random.default_rng(5).normal(size=len(into))
    return loudness * (0.25 * noise + 0.4 * np.sin(2 * np.pi * 190 * into)) * np.exp(-into / 0.06)


def bodied_snare(loudness: float = 1.0) -> np.ndarray:
    """A snare whose wires are heard up to some kilohertz, over two tones of its skin."""
    into = np.arange(round(0.25 * RATE)) / RATE
    wires = sosfilt(butter(2, (700, 5000), "bandpass", fs=RATE, output="sos"), snare() / np.abs(snare()).max())
    skin = np.sin(2 * np.pi * 185 * into) + 0.6 * np.sin(2 * np.pi * 330 * into)
    return loudness * (wires + 0.5 * skin * np.exp(-into / 0.05))


def tom(loudness: float = 1.0) -> np.ndarray:
    into = np.arange(round(0.4 * RATE)) / RATE
    hz = 120 + 40 * np.exp(-into / 0.03)
    return loudness * np.sin(2 * np.pi * np.cumsum(hz) / RATE) * np.exp(-into / 0.12)


def loop(start_s: float = 0.1, *, softer: float = 1.0) -> tuple[np.ndarray, list[float]]:
    """Kicks and snares in turn, (frames, 1), and their moments; every second kick and snare ``softer``."""
    sound = np.zeros(round((start_s + 9 * STEP_S) * RATE))
    moments = []
    for places, stroke in ((KICKS, kick), (SNARES, snare)):
        for number, place in enumerate(places):
            first = round((start_s + place * STEP_S) * RATE)
            one = stroke(softer if number % 2 else 1.0)
            sound[first : first + len(one)] += one
            moments.append(first / RATE)
    return (0.6 * sound / np.abs(sound).max()).astype(np.float32)[:, None], sorted(moments)


def counted(reading: HitsReading) -> list[tuple[float, str]]:
    sure = reading.confidence >= 0.5
    return [(float(t), DRUMS[d]) for t, d in zip(reading.time_s[sure], reading.drum[sure], strict=True)]


def heard(samples: np.ndarray, rate: int = RATE, **listen: float) -> list[tuple[float, str]]:
    return counted(read(samples, rate, HitSettings(ListenSettings(**listen))))


def moments_of(hits: list[tuple[float, str]]) -> list[float]:
    return sorted({round(t, 5) for t, _ in hits})


def test_every_stroke_is_found_within_two_milliseconds() -> None:
    sound, moments = loop()
    # A tenth of the peak of a kick that swells from zero comes some samples after its first one.
    assert moments_of(heard(sound)) == pytest.approx(moments, abs=0.002)


def test_kicks_and_snares_are_told_apart() -> None:
    found = heard(loop()[0])
    for places, drum in ((KICKS, "kick"), (SNARES, "snare")):
        for place in places:
            at = 0.1 + place * STEP_S
            assert drum in {name for t, name in found if abs(t - at) < 0.01}


@pytest.mark.parametrize(("stroke", "drum"), [(kick, "kick"), (tom, "tom"), (bodied_snare, "snare")])
@pytest.mark.parametrize("count", [2, 12])
def test_a_drum_on_a_track_of_its_own_is_what_it_is(
    stroke: Callable[[float], np.ndarray], drum: str, count: int
) -> None:
    sound = np.zeros(round((0.05 + count * 0.5) * RATE))
    for number, force in enumerate(np.random.default_rng(0).uniform(0.5, 1, count)):
        first = round((0.05 + number * 0.5) * RATE)
        one = stroke(force)
        sound[first : first + len(one)] += one
    assert [name for _, name in heard(sound.astype(np.float32)[:, None])] == count * [drum]


def test_a_first_hit_at_four_milliseconds_is_one() -> None:
    sound, moments = loop(0.004)
    assert moments_of(heard(sound))[0] == pytest.approx(moments[0], abs=0.002)


@pytest.mark.parametrize(
    "sound", [np.zeros((RATE, 1), np.float32), np.zeros((1, 1), np.float32), line([Note(0.0, 3.0, 69)])[: 2 * RATE]]
)
def test_silence_a_sample_and_a_steady_tone_hold_no_row_of_hits(sound: np.ndarray) -> None:
    # The beginning of the tone may be a stroke; what follows is none.
    assert [t for t, _ in heard(sound) if t > 0.1] == []


def test_force_is_ranked_within_each_drum_whatever_the_other_does() -> None:
    # Kicks grow while the snares between them fade, and the other way round.
    rising = np.linspace(0.25, 1.0, 6)
    for kicks, snares in ((rising, rising[::-1]), (rising[::-1], rising)):
        sound = np.zeros(round(13 * STEP_S * RATE))
        for number in range(6):
            for stroke, loudness, place in (
                (kick, kicks[number], 2 * number),
                (snare, snares[number], 2 * number + 1),
            ):
                first = round((0.1 + place * STEP_S) * RATE)
                one = stroke(loudness)
                sound[first : first + len(one)] += one
        reading = read((0.6 * sound / np.abs(sound).max()).astype(np.float32)[:, None], RATE, HitSettings())
        for drum, shift, truth in (("kick", 0, kicks), ("snare", 1, snares)):
            velocities = []
            for number in range(6):
                at = 0.1 + (2 * number + shift) * STEP_S
                near = (np.abs(reading.time_s - at) < 0.01) & (reading.drum == DRUMS.index(drum))
                velocities.append(float(reading.velocity[near].max(initial=0.0)))
            # Neighbours lie 1.3 to 4 dB apart: two of them may change places, no more.
            assert spearmanr(velocities, truth).statistic >= 0.9


def test_softer_strokes_are_softer_in_their_own_drum() -> None:
    reading = read(loop(softer=0.3)[0], RATE, HitSettings())
    for places, drum in ((KICKS, "kick"), (SNARES, "snare")):
        velocities = []
        for place in places:
            near = (np.abs(reading.time_s - 0.1 - place * STEP_S) < 0.01) & (reading.drum == DRUMS.index(drum))
            velocities.append(float(reading.velocity[near].max()))
        assert velocities[1] < min(velocities[0], velocities[2])


@pytest.mark.parametrize(
    "dress",
    [
        lambda x: 1e-3 * x,
        lambda x: -x,
        lambda x: 0.5 * x + 0.3,
        lambda x: np.concatenate([np.zeros_like(x), x], axis=1),
        lambda x: np.concatenate([x, -x], axis=1),
    ],
    ids=["60 dB quieter", "upside down", "constant offset", "one channel silent", "sides that cancel"],
)
def test_the_same_loop_in_another_dress(dress) -> None:
    sound, moments = loop()
    assert moments_of(heard(np.asarray(dress(sound), np.float32))) == pytest.approx(moments, abs=0.002)


def test_a_stretch_is_read_in_the_takes_own_time() -> None:
    sound, moments = loop()
    inside = [t for t in moments if 0.65 < t < 1.7]
    assert moments_of(heard(sound, from_s=0.65, to_s=1.7)) == pytest.approx(inside, abs=0.003)


def test_the_same_sound_gives_the_same_hits() -> None:
    sound, _ = loop()
    assert heard(sound) == heard(sound)


def test_the_edge_of_a_cut_is_no_drum() -> None:
    sound, moments = loop()
    clicked = sound.copy()
    clicked[round(1.16 * RATE)] += 0.5
    assert not [t for t, _ in heard(clicked) if abs(t - 1.16) < 0.01]
    assert len(moments_of(heard(clicked))) >= len(moments) - 1


def test_levels_begin_with_silence_and_do_not_depend_on_loudness() -> None:
    sound, _ = loop(0.004)
    levels = measure_levels(sound[:, 0])
    assert levels.shape[0::2] == (2, BANDS)
    assert levels[0, : LEAD_FRAMES - 4].max() == 0.0
    assert np.abs(levels - measure_levels(0.05 * sound[:, 0])).max() < 1e-3


def test_half_the_samples_give_the_same_levels_below_their_highest() -> None:
    sound, _ = loop()
    half = soxr.resample(sound[:, 0].astype(np.float32), RATE, RATE // 2)
    whole = soxr.resample(half, RATE // 2, RATE)
    levels, same = measure_levels(half, RATE // 2), measure_levels(whole)
    frames = min(levels.shape[1], same.shape[1])
    # Where the filter leaves something at the edge, 11 kHz, one of 30 dB is .03 of the unit.
    assert np.abs(levels[:, :frames] - same[:, :frames]).mean(axis=(0, 1)).max() < 0.03
    assert levels[:, :, -3:].max() == 0.0


def test_confidences_and_runners_up_are_shares() -> None:
    reading = read(loop()[0], RATE, HitSettings())
    assert np.all((reading.confidence > 0) & (reading.confidence <= 1))
    assert np.all(reading.runner_up != reading.drum)
    assert np.all(reading.runner_up_share <= 1 - reading.confidence + 1e-9)
    assert np.all(np.diff(reading.time_s) >= 0)


@pytest.mark.parametrize("cut_s", [0.72, 0.95, 1.37])
def test_a_loop_cut_in_the_middle_of_a_hit_ends_without_a_false_one(cut_s: float) -> None:
    sound, moments = loop()
    expected = [t for t in moments if t < cut_s]
    assert moments_of(heard(sound[: round(cut_s * RATE)])) == pytest.approx(expected, abs=0.002)


def dense(a_second: int) -> np.ndarray:
    """Strokes so many a second, two seconds of them."""
    sound = np.zeros(2 * RATE)
    for first in range(0, 2 * RATE - 200, RATE // a_second):
        sound[first : first + 100] += snare()[:100]
    return (0.5 * sound / np.abs(sound).max()).astype(np.float32)[:, None]


def test_two_hundred_hits_a_second_are_bounded_by_what_an_ear_can_tell() -> None:
    moments = moments_of(heard(dense(200)))
    assert np.all(np.diff(moments) > 0.009)
    assert len(moments) < 220


def test_one_silent_side_and_an_offset_change_nothing_that_counts() -> None:
    sound, moments = loop()
    one_side = np.concatenate([sound, np.zeros_like(sound)], axis=1)
    assert moments_of(heard(one_side)) == pytest.approx(moments, abs=0.002)
    assert moments_of(heard(0.5 * sound + np.float32(0.3))) == pytest.approx(moments, abs=0.002)


def test_a_quiet_loop_keeps_its_levels() -> None:
    sound, _ = loop()
    loud, quiet = (read(x.astype(np.float32), RATE, HitSettings()) for x in (sound, 1e-3 * sound))
    # Of what hardly counts as a candidate rounding decides.
    quiet_db, loud_db = (r.level_db[r.confidence >= 0.5] for r in (quiet, loud))
    assert quiet_db == pytest.approx(loud_db - 60, abs=0.01)


def test_every_hit_has_a_kind_that_begins_with_its_drum() -> None:
    reading = read(loop()[0], RATE, HitSettings())
    assert all(kind.split()[0] == DRUMS[d] for kind, d in zip(reading.kind, reading.drum, strict=True))


def ringing(seconds: float, low_hz: float = 6000.0) -> np.ndarray:
    """Noise of a plate that rings for ``seconds``."""
    noise = np.diff(np.random.default_rng(8).normal(size=RATE // 2), prepend=0.0)
    return noise * np.exp(-np.arange(len(noise)) / RATE / seconds)


@pytest.mark.parametrize(
    ("sound", "drum", "kind"),
    [
        (ringing(0.02), "hat", "hat closed"),
        (ringing(0.2), "hat", "hat open"),
        (ringing(0.6), "cymbal", "cymbal crash"),
        (ringing(0.12), "cymbal", "cymbal ride"),
        (np.sin(2 * np.pi * 80 * np.arange(RATE) / RATE) * np.exp(-np.arange(RATE) / 9000), "tom", "tom low"),
        (np.sin(2 * np.pi * 200 * np.arange(RATE) / RATE) * np.exp(-np.arange(RATE) / 9000), "tom", "tom high"),
        (ringing(0.006), "snare", "snare rim"),
        (ringing(0.09), "snare", "snare"),
    ],
)
def test_kinds_are_told_by_how_long_and_how_high_a_drum_rings(sound: np.ndarray, drum: str, kind: str) -> None:
    mono = np.concatenate([np.zeros(4410), sound, np.zeros(RATE)]).astype(np.float32)
    struck = np.array([DRUMS.index(drum)])
    assert kinds_of(mono, RATE, np.array([0.1]), struck, np.array([True])) == [kind]


def test_a_hat_under_a_ride_is_closed_with_the_foot() -> None:
    beats_s, ride, hat = np.arange(8) * 0.5, ringing(0.12), ringing(0.02)
    mono, rows = np.zeros(5 * RATE), []
    for number, beat_s in enumerate(beats_s.tolist()):
        first = round(beat_s * RATE)
        mono[first : first + len(ride)] += ride
        rows.append((beat_s, DRUMS.index("cymbal")))
        if number % 2:
            mono[first : first + len(hat)] += 0.3 * hat
            rows.append((beat_s, DRUMS.index("hat")))
    columns = zip(*rows, strict=True)
    time_s, drum = np.array(next(columns)), np.array(next(columns))
    kinds = kinds_of(mono.astype(np.float32), RATE, time_s, drum, np.ones(len(drum), bool))
    assert kinds == ["cymbal ride", "cymbal ride", "hat pedal"] * 4


def test_readings_of_every_engine_before_are_readable() -> None:
    name, version = ENGINE.split()
    assert set(READABLE) >= {f"{name} {earlier}" for earlier in range(2, int(version) + 1)}
