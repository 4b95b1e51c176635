"""The demo's recordings are read as they were played."""

import pytest

from honest_stave.core.pitch.forming import form_candidates
from honest_stave.core.pitch.kind import judge_kind
from honest_stave.core.pitch.notes_engine import read
from honest_stave.core.pitch.reading import FormSettings, ReadSettings
from honest_stave.demo.takes import ALL, ONE_VOICE
from tests.made import RATE, f1


@pytest.mark.parametrize("make", ALL)
def test_read_as_played(make) -> None:
    take = make()
    voices = "one" if make in ONE_VOICE else "many"
    assert judge_kind(take.samples[:, None], RATE).name == voices
    reading = read(take.samples[:, None], RATE, ReadSettings(voices=voices))
    found = [c for c in form_candidates(reading, FormSettings()) if c.confidence >= 0.5]
    truth = [(n.onset_s, float(n.pitch)) for n in take.notes]
    assert f1([(c.onset_s, c.pitch) for c in found], truth) >= 0.9
