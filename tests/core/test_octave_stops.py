"""Octaves that every key of an organ sounds are doubted; those that a hand plays stay."""

from dataclasses import fields, replace

import numpy as np
import pytest

from honest_stave.core.pitch.activity import LOWEST_PITCH
from honest_stave.core.pitch.bands import BANDS_PER_SEMITONE, LONG_BANDS, SEMITONES, Bands
from honest_stave.core.pitch.octave_stops import PARTIAL_STEPS, doubt_octave_stops, find_keys_of_line
from honest_stave.core.pitch.strikes import Strikes

KEYS = np.tile([48, 52, 55, 50, 53, 57, 60, 59, 47, 55, 52, 48], 3)
APART_CELLS = 20


def played(
    even_db: float,
    octave_of: tuple[int, ...] = (1, 4, 7),
    octave_score: float = 0.9,
    faint: bool = True,
    own_stop: bool = False,
    together: int = 1,
) -> tuple[Strikes, ...]:
    """Strikes, log-odds, passages and bands of keys, so many together, of some of which an octave was read."""
    long_db = np.full((len(KEYS) * APART_CELLS * 2, LONG_BANDS), -90.0)
    rows = []
    for number, pitch in enumerate(KEYS.tolist()):
        place = number // together * APART_CELLS
        frames = slice(2 * place, 2 * (place + APART_CELLS))
        for partial, step in enumerate(PARTIAL_STEPS):
            row = BANDS_PER_SEMITONE * (pitch - LOWEST_PITCH + step) + 1
            long_db[frames, row] = -30.0 + (even_db if partial % 2 else 0.0)
            if number in octave_of and own_stop:
                above = row + BANDS_PER_SEMITONE * 12
                long_db[frames, above] = -30.0 + even_db + (even_db if partial % 2 else 0.0)
        rows.append((place, pitch, 0.4))
        if number in octave_of:
            rows.append((place, pitch + 12, octave_score))
        elif number % 2 and faint:
            rows.append((place, pitch + 12, -2.0))
    cell, pitch_of, score = np.array(rows).T
    columns = {f.name: np.zeros(len(rows)) for f in fields(Strikes)}
    strikes = Strikes(**columns | {"cell": cell.astype(int), "pitch": pitch_of.astype(int), "onset_s": cell * 0.0232})
    return strikes, score, np.zeros(len(rows), int), Bands(long_db, np.full((len(long_db), SEMITONES), -90.0))


def test_octaves_of_a_stop_are_doubted_and_speak_for_their_keys() -> None:
    strikes, score, passage, bands = played(even_db=6.0)
    doubted = doubt_octave_stops(strikes, score, passage, bands)
    told = doubted.score
    assert doubted.stopped.all()
    np.testing.assert_array_equal(doubted.pitch, strikes.pitch)
    octaves = np.flatnonzero(score == 0.9)
    assert (told[octaves] < 0).all()
    assert (told[octaves - 1] > score[octaves - 1]).all()
    others = np.setdiff1d(np.flatnonzero(score > -2.0), [*octaves, *(octaves - 1)])
    np.testing.assert_array_equal(told[others], score[others])


def test_a_key_of_which_only_the_octave_was_read_is_told_by_its_fundamental() -> None:
    """The fundamental that was heard on its own, and late, is the same key."""
    strikes, score, passage, bands = played(even_db=6.0)
    octave = int(np.flatnonzero(score == 0.9)[0])
    onset_s = strikes.onset_s.copy()
    onset_s[octave - 1], score[octave - 1], score[octave] = onset_s[octave] + 0.15, 0.7, 2.0
    order = np.argsort(onset_s, kind="stable")
    late = replace(strikes, onset_s=onset_s).chosen(order)
    doubted = doubt_octave_stops(late, score[order], passage, bands)
    at = int(np.flatnonzero(score[order] == 2.0)[0])
    assert doubted.pitch[at] == strikes.pitch[octave] - 12
    assert (doubted.score[at], doubted.score[at + 1]) == (2.0, -2.0)


@pytest.mark.parametrize(
    ("under_db", "sixth_db", "sure", "lower"),
    [(-20.0, 0.0, 2.0, True), (-45.0, 0.0, 2.0, False), (-20.0, 0.0, 9.0, False), (-20.0, -25.0, 2.0, False)],
    ids=["a key", "a flute's lower mode", "a rank that the network knows", "a rank of sines"],
)
def test_a_line_is_read_an_octave_lower_where_partials_under_it_tell_so(
    under_db: float, sixth_db: float, sure: float, lower: bool
) -> None:
    """The first and third partial under most notes are a key's, unless they are a rank of an electric organ."""
    strikes, _, _, bands = played(even_db=6.0, octave_of=(), faint=False)
    for number, pitch in enumerate(KEYS[:-8].tolist()):
        frames = slice(2 * APART_CELLS * number, 2 * APART_CELLS * (number + 1))
        rows = [BANDS_PER_SEMITONE * (pitch - LOWEST_PITCH + step) + 1 for step in (-12, 7, 19)]
        bands.long_db[frames, rows] = np.array([under_db, under_db, sixth_db]) - 30.0
    score = np.full(len(strikes), sure)
    told = find_keys_of_line(strikes, score, np.zeros(len(strikes), int), bands)
    expected = strikes.pitch - 12 * (lower & (np.arange(len(strikes)) < len(KEYS) - 8))
    np.testing.assert_array_equal(told.pitch, expected)
    np.testing.assert_array_equal(told.stopped, told.pitch < strikes.pitch)


@pytest.mark.parametrize("own_stop", [True, False])
def test_an_octave_that_is_played_sounds_its_own_stop(own_stop: bool) -> None:
    strikes, score, passage, bands = played(even_db=6.0, octave_score=2.5, own_stop=own_stop)
    told = doubt_octave_stops(strikes, score, passage, bands).score[score == 2.5]
    assert ((told > 0) == own_stop).all()


def test_where_nearly_every_octave_is_read_there_is_a_stop_all_the_same() -> None:
    every_octave = tuple(range(len(KEYS) - 4))
    for together in (1, 3):
        assert doubt_octave_stops(*played(6.0, every_octave, together=together)).stopped.all()


def test_without_a_stop_nothing_changes() -> None:
    """Odd partials outweigh even ones; nothing is heard over most keys, as of brass; a hand plays lower octaves."""
    lowest = tuple(3 * (i // 3) + int(KEYS[3 * (i // 3) :][:3].argmin()) for i in range(0, len(KEYS), 3))
    by_hand = played(6.0, lowest, octave_score=2.0, faint=False, together=3)
    for given in (played(-6.0), played(6.0, faint=False), by_hand):
        doubted = doubt_octave_stops(*given)
        np.testing.assert_array_equal(doubted.score, given[1])
        assert not doubted.stopped.any()


def test_each_passage_is_judged_by_itself() -> None:
    """A recording cut in two at a silence gives the same notes."""
    with_stop, without = played(6.0), played(-6.0)
    frames = len(with_stop[3].long_db)
    both = Strikes(
        **{
            f.name: np.concatenate([getattr(a, f.name), getattr(b, f.name) + shift])
            for a, b in [(with_stop[0], without[0])]
            for f in fields(Strikes)
            for shift in [{"cell": frames // 2, "onset_s": frames // 2 * 0.0232}.get(f.name, 0)]
        }
    )
    bands = Bands(
        *(np.concatenate([getattr(with_stop[3], n), getattr(without[3], n)]) for n in ("long_db", "short_db"))
    )
    told = doubt_octave_stops(
        both, np.concatenate([with_stop[1], without[1]]), np.repeat([0, 1], len(without[1])), bands
    )
    parts = [doubt_octave_stops(*of) for of in (with_stop, without)]
    for field in ("score", "pitch", "stopped"):
        np.testing.assert_allclose(getattr(told, field), np.concatenate([getattr(part, field) for part in parts]))


def test_silence_has_no_stop() -> None:
    strikes, score, passage, bands = played(6.0)
    none = np.zeros(0, int)
    assert len(doubt_octave_stops(strikes.chosen(none), score[:0], passage[:0], bands).score) == 0
