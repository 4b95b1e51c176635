"""A kit read or cut anew: what was done by hand stays with its stroke, a pattern plays on what it played."""

from dataclasses import replace

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from honest_stave.core.hits import kit_edits
from honest_stave.core.hits.cut_anew import cut_anew
from honest_stave.core.hits.drum_part import in_step
from honest_stave.core.hits.keys import keys_of, loop_key
from honest_stave.core.hits.kit import Kit
from honest_stave.core.hits.pattern import drum_notes, pattern_of
from honest_stave.core.hits.played_keys import WHOLE_LOOP, Playable, played_on, same_keys
from honest_stave.core.hits.slicing import moments_of, slices_of
from tests.made import RATE
from tests.made_loop import FRAMES, KIT, LOOP, MOMENTS, cut


@settings(max_examples=50, deadline=None)
@given(off=st.lists(st.integers(-300, 300), min_size=6, max_size=6))
def test_what_was_done_by_hand_stays_with_its_stroke_in_another_reading(off: list[int]) -> None:
    """300 frames are 7 ms: readings of other channels and of other engines place strokes up to 3 ms elsewhere."""
    shift = dict(zip(sorted({float(t) for t in LOOP.time_s}), off, strict=True))
    again = replace(LOOP, time_s=LOOP.time_s + np.array([shift[float(t)] / RATE for t in LOOP.time_s]))
    kit = kit_edits.remove(KIT, ["r26460"])
    kit = kit_edits.set_slices(kit, ["r92610"], {"gain_db": -6.0, "reversed": True})
    kit = kit_edits.move(kit, cut(kit), ["r48510"], lambda s: s.first + 441, FRAMES)
    kit = kit_edits.set_drums(kit, cut(kit), ["r136710"], ["snare"])
    kit = kit_edits.put_in_order(kit, cut(kit), ["r136710"], -1)
    now = moments_of(again, RATE)
    slices = slices_of(now, cut_anew(kit, MOMENTS, now, RATE), RATE, FRAMES, 0)
    assert [s.settings for s in slices] == [s.settings for s in cut(kit)]
    assert [s.by_hand for s in slices] == [s.by_hand for s in cut(kit)]
    assert [x.drum for s in slices for x in s.strikes] == [x.drum for s in cut(kit) for x in s.strikes]
    assert 48951 in [s.first for s in slices]
    fresh = cut_anew(kit, MOMENTS, now, RATE)
    assert len(keys_of(fresh, slices)) == len(keys_of(kit, cut(kit)))
    assert list(keys_of(fresh, slices).values()) == list(keys_of(kit, cut(kit)).values())


def test_a_stroke_that_is_read_no_more_stays_cut_where_something_was_done_to_it() -> None:
    kit = kit_edits.set_slices(KIT, ["r92610"], {"gain_db": -6.0})
    kit = kit_edits.move(kit, cut(kit), ["r136710"], lambda s: s.first + 100, FRAMES)
    now = MOMENTS[:3]
    slices = slices_of(now, cut_anew(kit, MOMENTS, now, RATE), RATE, FRAMES, 0)
    kept = [(s.first, [x.drum for x in s.strikes], s.settings.gain_db, s.by_hand) for s in slices[-2:]]
    assert kept == [(92610, ["kick"], -6.0, True), (136810, ["tom"], 0.0, True)]
    assert len(slices) == 1 + len(now) + 2


def playable(kit: Kit) -> Playable:
    slices = cut(kit)
    return Playable(slices, {**keys_of(kit, slices), WHOLE_LOOP: loop_key(kit, keys_of(kit, slices)) or 0})


@settings(max_examples=60, deadline=None)
@given(
    st.lists(st.sampled_from(["cut", "order", "root", "drums", "softer", "remove", "key"]), min_size=1, max_size=5),
    st.integers(0, 5),
)
def test_a_pattern_goes_on_playing_its_slices_whatever_keys_they_have(changes: list[str], at: int) -> None:
    def changed(kit: Kit, change: str) -> Kit:
        ids = [s.id for s in cut(kit) if s.id != "lead"]
        one = ids[at % len(ids)]
        match change:
            case "cut":
                free = max(s.last for s in cut(kit)) - 1000 * (1 + len(kit.hand))
                return kit_edits.cut(kit, free, f"h{free}", cut(kit))
            case "order":
                return kit_edits.put_in_order(kit, cut(kit), [one], 1)
            case "remove":
                return kit_edits.remove(kit, [one])
            case "key":
                return kit_edits.set_slices(kit, [one], {"key": 100})
        return replace(
            kit, **{"root": {"root": 41}, "drums": {"layout": "drums"}, "softer": {"threshold_db": -12.0}}[change]
        )

    kit = KIT
    assert same_keys(kit, kit_edits.set_slices(kit, ["r26460"], {"gain_db": -3.0, "muted": True}))
    start = pattern_of(kit, cut(kit), keys_of(kit, cut(kit)), RATE)
    notes = [*start, replace(start[0], id="whole", pitch=playable(kit).keys[WHOLE_LOOP])]
    plays = {n.id: i for n in notes for i, key in playable(kit).keys.items() if key == n.pitch}
    kits = [KIT]
    for change in changes:
        fresh = changed(kits[-1], change)
        if same_keys(kits[-1], fresh):
            assert playable(kits[-1]).keys == playable(fresh).keys
        moved = {n.id: n for n in played_on(notes, playable(kits[-1]), playable(fresh), RATE)}
        notes = [moved.get(n.id, n) for n in notes]
        kits.append(fresh)
        keys = playable(fresh).keys
        for note in notes:
            if plays[note.id] in keys:
                assert (note.pitch, note.cut) == (keys[plays[note.id]], "")
            else:
                assert note.pitch not in keys.values()
                assert note.cut == plays[note.id]
    # Back to where the kit began, the notes are what they were.
    back = {n.id: n for n in played_on(notes, playable(kits[-1]), playable(KIT), RATE)}
    assert {n.id: back.get(n.id, n).pitch for n in notes} == {n.id: playable(KIT).keys[plays[n.id]] for n in notes}


def test_a_note_that_the_producer_has_put_on_another_key_plays_that_from_then_on() -> None:
    softer = replace(KIT, threshold_db=-12.0)
    note = pattern_of(KIT, cut(), keys_of(KIT, cut()), RATE)[1]
    (waiting,) = played_on([note], playable(KIT), playable(softer), RATE)
    assert waiting.cut == "r26460"
    elsewhere = replace(waiting, pitch=keys_of(softer, cut(softer))["r48510"])
    (back,) = played_on([elsewhere], playable(softer), playable(KIT), RATE)
    assert (back.pitch, back.cut) == (keys_of(KIT, cut())["r48510"], "")


def test_strokes_beside_one_that_a_hand_has_touched_are_left_as_they_are() -> None:
    before = drum_notes(KIT, cut(), RATE)
    kick, hat = (n for n in before if n.onset_s < 0.2)
    edited = [kick.edited(velocity=5), *(n for n in before if n is not kick)]
    renamed = kit_edits.set_drums(KIT, cut(), ["r4410"], ["tom"])
    fresh = drum_notes(renamed, cut(renamed), RATE)
    assert {n.id for n in in_step(edited, fresh, ())} == {n.id for n in before}
    assert {n.id for n in in_step(before, fresh, ())} == {n.id for n in fresh}
    gone = before[-1].id
    assert {n.id for n in in_step(edited[:-1], drum_notes(KIT, cut(), RATE), {gone})} == {n.id for n in before[:-1]}
    assert hat.id in {n.id for n in in_step(edited, fresh, ())}
