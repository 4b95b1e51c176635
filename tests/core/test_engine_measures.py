"""Measures round the strikes: dying away, drums, attacks inside, lines to follow, the spectrogram."""

from dataclasses import fields

import numpy as np
import pytest

from honest_stave.core.pitch.activity import Activity
from honest_stave.core.pitch.bands import LONG_BANDS, LOWEST_PITCH, Bands
from honest_stave.core.pitch.drum_strokes import drum_strokes
from honest_stave.core.pitch.dying import HOP_S, dying_share
from honest_stave.core.pitch.ends import note_end, pitch_levels_db
from honest_stave.core.pitch.follow import near_line, outer_line
from honest_stave.core.pitch.hearing import hear, measure_all
from honest_stave.core.pitch.kind import KINDS, STRETCH_S, STRETCHES, kind_of, stretches
from honest_stave.core.pitch.kind_measures import measures, over_all
from honest_stave.core.pitch.loudness import VELOCITY_A_DB, leaning_on_levels
from honest_stave.core.pitch.spectrogram import tile
from honest_stave.core.pitch.strikes import Strikes
from honest_stave.core.signal.listen import ListenSettings, prepare
from tests.made import RATE, Note, chords, drums, line, texture


def strikes_at(rows: list[tuple[float, float, int]], **columns: float) -> Strikes:
    """Strikes of (onset_s, end_s, pitch), all else alike."""
    onset, end, pitch = (np.array(c) for c in zip(*rows, strict=True))
    made = {f.name: np.full(len(rows), columns.get(f.name, 0.5)) for f in fields(Strikes)}
    cell = np.round(onset / (2 * HOP_S)).astype(np.int64)
    made |= {"onset_s": onset, "end_s": end, "pitch": pitch.astype(np.int64), "held_s": end - onset, "cell": cell}
    return Strikes(**made)


def test_notes_that_die_away_are_told_from_notes_let_go() -> None:
    rows = [(0.5 + i, 1.1 + i, 60) for i in range(4)]
    strikes = strikes_at(rows)
    time = np.arange(round(5 / HOP_S)) * HOP_S
    since = (time - 0.5) % 1.0
    for slope_before, slope_after, expected in ((-60.0, -60.0, 1.0), (-2.0, -200.0, 0.0)):
        level = slope_before * np.minimum(since, 0.6) + slope_after * np.maximum(since - 0.6, 0)
        long_db = np.full((len(time), LONG_BANDS), -110.0, np.float32)
        long_db[:, 3 * (60 - LOWEST_PITCH) + 1] = level
        assert dying_share(strikes, strikes.end_s, long_db) == expected
    assert dying_share(strikes.chosen(np.zeros(4, bool)), np.zeros(0), long_db) == 0.0


def test_a_short_stroke_that_lifts_everything_is_a_drums() -> None:
    strikes = strikes_at([(0.5, 0.6, 60), (0.5, 1.5, 64)], sounding=0.9)
    levels = np.full((200, 104), -60.0)
    levels[round(0.5 / HOP_S) :] = -20.0
    assert drum_strokes(strikes, levels).tolist() == [True, False]
    levels[round(0.5 / HOP_S) :, 20:] = -60.0
    assert drum_strokes(strikes, levels).tolist() == [False, False]


def test_velocities_lean_on_what_strokes_add_and_keep_the_mean_of_their_passage() -> None:
    loudness = (0.5, 0.25, 0.5, 0.25, 0.05, 0.1)
    rows = [(0.5 + i, 0.9 + i, 60) for i in range(6)]
    sound = line([Note(*row, loud) for row, loud in zip(rows, loudness, strict=True)])
    signal, _ = prepare(sound, RATE, ListenSettings())
    passage = np.array([0, 0, 0, 0, 1, 1])
    heard = strikes_at(rows, velocity=70.0)
    velocity = leaning_on_levels(heard, np.full(6, 3.0), passage, measure_all(signal, 0.0, lambda _: None))
    # Half as loud is 6 dB less; a fifth of a velocity is what frames that lie otherwise to a stroke make of it.
    apart = VELOCITY_A_DB * 20 * np.log10(2)
    assert velocity[:4] - 70 == pytest.approx([apart / 2, -apart / 2] * 2, abs=0.2)
    assert velocity[4:] - 70 == pytest.approx([-apart / 2, apart / 2], abs=0.2)
    # What is doubtful has no part in the mean.
    doubtful = np.array([3.0, 3, 3, -6, 3, 3])
    without = leaning_on_levels(heard, doubtful, passage, measure_all(signal, 0.0, lambda _: None))
    assert without[[0, 1, 2]].mean() == pytest.approx(70, abs=0.1)


def test_outer_lines_look_at_what_counts_and_sounds_on() -> None:
    strikes = strikes_at([(0.0, 2.0, 72), (0.0, 0.5, 60), (1.0, 1.5, 67), (2.5, 3.0, 64)])
    everything = np.ones(4, bool)
    assert outer_line(strikes, strikes.end_s, everything, highest=True).tolist() == [True, False, False, True]
    assert outer_line(strikes, strikes.end_s, everything, highest=False).tolist() == [False, True, True, True]
    without_first = np.array([False, True, True, True])
    assert outer_line(strikes, strikes.end_s, without_first, highest=True)[2]


def test_a_drawn_line_takes_the_octave_in_which_most_is_heard() -> None:
    strikes = strikes_at([(0.0, 1.0, 60), (0.0, 1.0, 48), (1.0, 2.0, 62), (2.0, 3.0, 64)])
    assert near_line(strikes, ((0.05, 0.9, 48.3), (1.1, 1.9, 50.0), (2.0, 2.8, 52.0))).tolist() == [
        True,
        False,
        True,
        True,
    ]


def test_a_long_take_is_listened_to_here_and_there() -> None:
    assert stretches(20.0) == [(0.0, 20.0)]
    found = stretches(3600.0)
    assert len(found) == STRETCHES
    assert all(to_s - from_s == pytest.approx(STRETCH_S) for from_s, to_s in found)
    assert found[-1][1] == pytest.approx(3600.0)


# Weights by which the first measures tell the kinds, and the last how much of what is struck is a mix.
PLAIN = {
    "weights": np.eye(4, 8).tolist(), "intercepts": [0.0] * 4, "mix_weights": [0.0, 20.0], "mix_intercept": -3.0,
}  # fmt: skip


def test_a_judgement_shares_itself_out_over_all_kinds() -> None:
    found = kind_of(np.array([0.0, 3.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.5, 0.0, 0.0, 0.0]), PLAIN)
    assert found.name == KINDS[1]
    assert sum(found.shares) == pytest.approx(1.0)
    assert found.confidence == max(found.shares)
    assert found.bright_a_second == 0.5


def test_what_is_struck_is_a_mix_where_something_is_held() -> None:
    drums_likely = PLAIN | {"intercepts": [0.0, 0.0, 3.0, 0.0]}
    struck = np.array([0.0, 0.0, 0.1, 0.0, 0.0, 0.0, 0.0, 0.5, 8.0, 0.02, 0.0])
    held = np.array([*struck[:9], 0.3, 0.0])
    assert [kind_of(each, drums_likely).name for each in (struck, held)] == ["drums", "mix"]
    assert kind_of(struck, drums_likely).shares[:2] == pytest.approx(kind_of(held, drums_likely).shares[:2])
    # Where a pitch sounds surely all the time, pitches tell.
    held[2] = 1.0
    assert kind_of(held, drums_likely).name == "drums"


def test_chords_are_held_and_drums_are_not() -> None:
    measured = []
    for sound in (texture(chords(), struck=False), drums()):
        bands = measure_all(prepare(sound, RATE, ListenSettings())[0])
        measured.append(measures(bands, hear(bands)))
    of_chords, of_drums = measured
    assert of_chords[9] > 0.3 > 0.1 > of_drums[9]
    # Three notes in each chord of 0.8 s, more than those surely heard; a drum seems to have a pitch here and there.
    assert of_chords[8] > 3.0 > of_drums[8]


@pytest.mark.parametrize(("beside", "overlapping", "overtones"), [(0, 0.0, 1.0), (5, 1.0, 0.0)])
def test_stops_that_sound_overtones_with_every_key_are_one_voice(
    beside: int, overlapping: float, overtones: float
) -> None:
    """Until something else sounds beside the keys for more than a fifth of the time, as fifths do in chords."""
    sounding = np.zeros((400, 88), np.float32)
    for cell, row in enumerate(np.repeat([30, 35, 33, 28], 100).tolist()):
        sounding[cell, [row, row + 12, row + 19, row + beside]] = 0.9
    silent = np.zeros_like(sounding)
    bands = Bands(np.full((800, LONG_BANDS), -60.0), np.full((800, 104), -60.0))
    found = measures(bands, Activity(silent, sounding, silent, silent))
    assert (found[0], found[10]) == (overlapping, overtones)


def test_a_stretch_in_which_nothing_begins_says_nothing_of_what_does() -> None:
    song, rest = np.full(11, 0.3), np.array([0.0, 0.0, 0.0, 0.0, 0.0, 0.0, np.nan, 0.1, 0.0, 0.0, 0.0])
    assert kind_of(over_all([song, rest, rest]), PLAIN).of_two_pitches == pytest.approx(0.3)
    assert kind_of(over_all([rest, rest]), PLAIN).of_two_pitches == 0.0
    assert over_all([song, rest])[7] == pytest.approx(0.2)


def test_the_end_of_one_pitch_is_measured_under_others() -> None:
    sound = texture([Note(0.2, 0.8, 60), Note(0.2, 2.0, 67), Note(0.2, 2.0, 52)], struck=False)
    signal, _ = prepare(sound, RATE, ListenSettings())
    end_s = note_end(pitch_levels_db(signal, 60), 0.2, 1.6, -75.0)
    # The windows that part the pitches are a quarter of a second long here.
    assert end_s == pytest.approx(0.8, abs=0.09)


@pytest.mark.parametrize("column_s", [128 / 22050, 1024 / 22050, 0.6])
def test_a_tile_shows_the_same_at_any_zoom(column_s: float) -> None:
    sound = line([Note(1.0, 3.0, 69)])
    columns = int(4 / column_s)
    levels = tile(sound, RATE, 0.0, column_s, columns).astype(int)
    band = 3 * (69 - LOWEST_PITCH) + 1
    middle, early = int(2.0 / column_s), int(0.2 / column_s)
    assert levels[middle].argmax() in (band, band + 36)
    assert levels[middle, band] - levels[early, band] > 60


def test_a_tile_beyond_the_take_is_silent() -> None:
    assert tile(drums(), RATE, 50.0, 0.05, 16).max() == 0
