"""Many voices at once, and what is made of them, on sounds whose truth is known."""

import numpy as np
import pytest

from honest_stave.core.errors import BadInput
from honest_stave.core.networks import opening
from honest_stave.core.pitch.evidence import calibrated
from honest_stave.core.pitch.forming import form_candidates
from honest_stave.core.pitch.kind import judge_kind
from honest_stave.core.pitch.limits import LIMITS, UNHEARD, best_limit, expected
from honest_stave.core.pitch.notes_engine import read, read_as_it_seems
from honest_stave.core.pitch.partials import partials_of
from honest_stave.core.pitch.reading import Candidate, FormSettings, ReadSettings
from honest_stave.core.signal.listen import ANALYSIS_RATE, ListenSettings, prepare
from tests.made import CHORDS, RATE, Note, chords, drums, f1, line, texture, tune


def heard(samples: np.ndarray, **settings: object) -> list[Candidate]:
    reading = read(samples, RATE, ReadSettings(voices="many", **settings))
    return [c for c in form_candidates(reading, FormSettings()) if c.confidence >= 0.5]


def pairs(notes: list[Candidate]) -> list[tuple[float, int]]:
    return [(n.onset_s, n.pitch) for n in notes]


@pytest.mark.parametrize("struck", [True, False])
def test_chords_are_read_note_by_note(struck: bool) -> None:
    notes = chords()
    found = heard(texture(notes, struck=struck))
    assert f1(pairs(found), [(n.onset_s, n.pitch) for n in notes]) >= 0.9


def test_the_top_octave_is_heard_over_chords() -> None:
    under = chords()
    above = [Note(0.3 + 0.4 * i, 0.3 + 0.4 * i + 0.35, p) for i, p in enumerate((97, 100, 104, 101, 99, 105, 98))]
    found = [n for n in heard(texture([*under, *above])) if n.pitch > 96]
    # One in seven may be lost: it lies a whole number of octaves over notes of the chord.
    assert f1(pairs(found), [(n.onset_s, n.pitch) for n in above]) >= 0.85


def test_what_a_take_holds_is_heard_on_arrival() -> None:
    assert judge_kind(line(tune()), RATE).name == "one"
    assert judge_kind(texture(chords()), RATE).name == "many"
    assert judge_kind(drums(), RATE).name == "drums"


def test_hats_on_the_chords_make_a_mix_of_them() -> None:
    sound = texture(chords())
    random = np.random.default_rng(5)
    into = np.arange(round(0.1 * RATE)) / RATE
    for onset_s in np.arange(0.3, len(sound) / RATE - 0.2, 0.4).tolist():
        first = round(onset_s * RATE)
        hiss = np.diff(random.normal(size=len(into)), 3, prepend=np.zeros(3)) * np.exp(-into / 0.02)
        sound[first : first + len(into), 0] += 0.2 * float(np.abs(sound).max()) * hiss.astype(np.float32)
    found = judge_kind(sound, RATE)
    assert found.name == "mix"
    # Two and a half a second were struck, each other one on a chord.
    assert 1.2 < found.bright_a_second < 2.6


def test_a_take_read_as_it_seems_is_heard_once_and_read_the_same() -> None:
    for sound, voices in ((line(tune()), "one"), (texture(chords()), "many")):
        reading, seems = read_as_it_seems(sound, RATE, ReadSettings())
        asked = read(sound, RATE, ReadSettings(voices=voices))
        assert seems.name == reading.voices == voices
        assert form_candidates(reading, FormSettings()) == form_candidates(asked, FormSettings())


def test_the_highest_and_the_lowest_line_can_be_followed() -> None:
    sound = texture(chords())
    highest = [(0.3 + 0.8 * i, max(chord)) for i, chord in enumerate(CHORDS)]
    lowest = [(0.3 + 0.8 * i, min(chord)) for i, chord in enumerate(CHORDS)]
    assert f1(pairs(heard(sound, follow="highest")), highest) >= 0.85
    assert f1(pairs(heard(sound, follow="lowest")), lowest) >= 0.85


def test_the_line_nearest_to_a_hummed_one_is_followed_in_any_octave() -> None:
    middle = [(0.3 + 0.8 * i, chord[1]) for i, chord in enumerate(CHORDS)]
    hummed = tuple((onset + 0.05, onset + 0.6, pitch - 12.0) for onset, pitch in middle)
    assert f1(pairs(heard(texture(chords()), follow="line", drawn=hummed)), middle) >= 0.85


def test_drums_under_chords_are_left_out_of_account() -> None:
    chord, beat = texture(chords()), drums()
    length = max(len(chord), len(beat))
    mix = sum(np.pad(s, ((0, length - len(s)), (0, 0))) for s in (chord, 0.7 * beat))
    truth = [(n.onset_s, n.pitch) for n in chords()]
    found = pairs(heard(np.asarray(mix, np.float32), without_drums=True))
    assert f1(found, truth) >= 0.8


def test_cutting_at_a_silence_gives_the_same_notes() -> None:
    first, second = texture(chords()), texture(chords()[4:])
    # The gap is a whole number of cells, so that both readings look at the same frames.
    gap = np.zeros((2048 * 40 - len(first) % 2048, 1), np.float32)
    whole = np.concatenate([first, gap, second])
    starts_s = (len(first) + len(gap)) / RATE
    before = pairs(heard(np.concatenate([first, gap])))
    after = [(t + starts_s, p) for t, p in pairs(heard(second))]
    # In order of pitch: the notes of a chord begin within a millisecond.
    found, parts = (sorted((p, t) for t, p in notes) for notes in (pairs(heard(whole)), before + after))
    assert [p for p, _ in found] == [p for p, _ in parts]
    assert [t for _, t in found] == pytest.approx([t for _, t in parts], abs=0.002)


def test_a_long_take_is_heard_in_stretches_that_do_not_show() -> None:
    sound = texture(chords())
    repeated = np.concatenate([sound, np.zeros((2048 * 4 - len(sound) % 2048, 1), np.float32)])
    found = heard(np.tile(repeated, (9, 1)))
    length_s = len(repeated) / RATE
    rounds = [
        sorted((n.pitch, n.onset_s - k * length_s) for n in found if 0 <= n.onset_s - k * length_s < length_s)
        for k in range(9)
    ]
    for each in rounds[1:]:
        assert [p for p, _ in each] == [p for p, _ in rounds[0]]
        # A fifth of a cell: what lies far to the left and right may move a moment by no more.
        assert [t for _, t in each] == pytest.approx([t for _, t in rounds[0]], abs=0.005)


def test_a_ghost_has_hardly_a_partial_of_its_own() -> None:
    sound = line([Note(0.2, 1.2, 57)], struck=True)
    signal, _ = prepare(sound, RATE, ListenSettings())
    ghost = partials_of(signal, 0.2, 1.2, 69, np.array([57]))
    assert all(p.explained_by == 57 for p in ghost)
    real = partials_of(signal, 0.2, 1.2, 57, np.array([64]))
    assert sum(p.explained_by is None for p in real) >= 6
    assert real[0].level_db > real[6].level_db


def test_expected_errors_add_up_from_confidences() -> None:
    said = expected(np.array([0.9, 0.6, 0.2]))
    half = int(np.flatnonzero(LIMITS == 0.5)[0])
    assert said.counted[half] == 2
    assert said.wrong[half] == pytest.approx(0.5)
    # One candidate left out, and what is no candidate at all, which is more where more is undecided.
    undecided = 0.9 * 0.1 + 0.6 * 0.4 + 0.2 * 0.8
    assert said.missed[half] == pytest.approx(0.2 + UNHEARD * undecided)
    assert expected(np.array([0.99, 0.99, 0.98])).missed[half] < 0.05
    assert (said.counted[0], said.counted[-1]) == (3, 0)


def test_a_damaged_network_is_one_clear_line(monkeypatch: pytest.MonkeyPatch) -> None:
    class Nowhere:
        def __truediv__(self, name: str) -> "Nowhere":
            return self

        def read_bytes(self) -> bytes:
            return b"no network"

    opening.open_network.cache_clear()
    monkeypatch.setattr(opening.resources, "files", lambda package: Nowhere())
    with pytest.raises(BadInput, match="missing or damaged"):
        read(line(tune()), ANALYSIS_RATE, ReadSettings())
    opening.open_network.cache_clear()


def test_how_hard_chords_are_struck_is_heard_through_their_company() -> None:
    # Every second chord is struck at a third of the level of the others: softer, each of its notes.
    loud = [0.5 if i % 2 == 0 else 0.17 for i in range(len(CHORDS))]
    notes = [Note(0.3 + 0.8 * i, 0.3 + 0.8 * i + 0.7, p, loud[i]) for i, chord in enumerate(CHORDS) for p in chord]
    found = heard(texture(notes, struck=True))
    chord_of = [round((c.onset_s - 0.3) / 0.8) for c in found]
    means = [
        np.mean([c.velocity for c, k in zip(found, chord_of, strict=True) if k == i]) for i in range(len(CHORDS))
    ]
    assert min(means[::2]) > max(means[1::2]) + 5


def test_a_voice_struck_softly_is_softer_within_each_chord() -> None:
    # The second note of every chord is a quarter as loud as those struck with it, and found all the same.
    notes = [
        Note(0.3 + 0.8 * i, 0.3 + 0.8 * i + 0.7, p, 0.1 if p == sorted(chord)[1] else 0.4)
        for i, chord in enumerate(CHORDS)
        for p in chord
    ]
    found = heard(texture(notes, struck=True))
    for i, chord in enumerate(CHORDS):
        own = {c.pitch: c.velocity for c in found if abs(c.onset_s - 0.3 - 0.8 * i) < 0.05 and c.pitch in chord}
        middle = own.pop(sorted(chord)[1])
        assert middle < min(own.values())


def test_limit_with_the_best_expected_f1_is_lower_where_all_is_doubtful() -> None:
    clear, doubtful = np.array([0.99] * 40 + [0.02] * 40), np.array([0.45] * 40 + [0.1] * 40)
    assert best_limit(clear) == pytest.approx(0.5, abs=0.02)
    assert best_limit(doubtful) < 0.35

    # Calibrated confidences: of many draws of what is true, no other limit has a better F1 in the mean.
    random = np.random.default_rng(5)
    sure = random.beta(0.6, 0.8, 200)
    true = random.random((400, 200)) < sure

    def f1_at(limit: float) -> float:
        counted = sure >= limit
        return float(np.mean(2 * (true & counted).sum(axis=1) / (true.sum(axis=1) + counted.sum())))

    assert f1_at(best_limit(sure)) >= max(f1_at(limit) for limit in LIMITS) - 0.002
    assert best_limit(np.zeros(0)) == 0.5


def test_many_voices_are_told_less_sure_than_they_were_weighed_and_in_the_same_order() -> None:
    weighed = np.linspace(0, 6, 13)
    told = calibrated(weighed, "many")
    assert (told < weighed).all()
    assert (np.diff(told) > 0).all()
    assert calibrated(weighed, "one") == pytest.approx(weighed)
