"""What worker processes can do, by name."""

from collections.abc import Callable
from typing import Any

from honest_stave.core.errors import Progress
from honest_stave.service.aligning import align_take
from honest_stave.service.beats import read_beats
from honest_stave.service.decoding import decode_take
from honest_stave.service.hits import read_hits
from honest_stave.service.laying import lay
from honest_stave.service.notes_reading import read_notes
from honest_stave.service.straightening import straighten
from honest_stave.store.files import Files

TASKS: dict[str, Callable[[Files, dict[str, Any], Progress], dict[str, Any]]] = {
    "decode": decode_take,
    "notes": read_notes,
    "hits": read_hits,
    "beats": read_beats,
    "align": align_take,
    "lay": lay,
    "straighten": straighten,
}
