"""Windows of clips as padded batches: what a network that attends to a passage learns from."""

from collections.abc import Callable
from dataclasses import fields
from pathlib import Path
from typing import Any, TypeVar

import numpy as np
import torch
from numpy.typing import NDArray
from torch.nn import functional

from honest_stave.core.pitch.passages import CONTEXT_STRIKES, STRETCH_STRIKES
from honest_stave.core.pitch.strike_levels import LEVEL_VIEWS, LOWEST_STEP, STEPS
from training.learner import Learner

BATCH, PEAK_RATE, SEED = 16, 2e-3, 4
# Levels are kept in bytes, in so many steps a unit of 30 dB: half a decibel.
LEVEL_STEPS = 64
# Colours of an instrument in units of the levels, at so many points of so many semitones, and how loud it is.
COLOUR, COLOUR_POINTS, PITCHES, LOUDNESS = 0.1, 10, 128, 0.05
WINDOW = STRETCH_STRIKES + 2 * CONTEXT_STRIKES
Rows = dict[str, torch.Tensor]
T = TypeVar("T", bound=torch.nn.Module)


class Windows:
    """Windows of clips, drawn at random.

    Args:
        clips: dataclasses of arrays (strikes, ...), with ``passage``, and ``one_voice`` (1,).
        weights: how often each is drawn.
        as_many: a clip of one voice is read as many this often.
    """

    def __init__(self, clips: list[Any], weights: list[float], seed: int, as_many: float = 0.0) -> None:
        kept = [i for i, c in enumerate(clips) if len(c.passage)]
        self.clips, self.as_many = [clips[i] for i in kept], as_many
        # A long clip holds more windows.
        share = np.array([weights[i] for i in kept]) * np.sqrt([min(len(c.passage), 2 * WINDOW) for c in self.clips])
        self.share = share / share.sum()
        self.random = np.random.default_rng(seed)

    def batch(self) -> Rows:
        """A batch: every array padded, ``there`` where a strike is, ``one_voice`` (batch,)."""
        rows: dict[str, list[torch.Tensor]] = {}
        voices = []
        for clip in (self.clips[i] for i in self.random.choice(len(self.clips), BATCH, p=self.share)):
            first = int(self.random.integers(max(len(clip.passage) - WINDOW, 0) + 1))
            cut = slice(first, first + WINDOW)
            for name, values in arrays_of(clip).items():
                rows.setdefault(name, []).append(torch.from_numpy(np.ascontiguousarray(values[cut])))
            rows.setdefault("there", []).append(torch.ones(len(clip.passage[cut]), dtype=torch.bool))
            voices.append(float(bool(clip.one_voice) and self.random.random() >= self.as_many))
        padded = {name: torch.nn.utils.rnn.pad_sequence(parts, True) for name, parts in rows.items()}
        return _with_levels({**padded, "one_voice": torch.tensor(voices)})


def arrays_of(clip: Any) -> dict[str, NDArray[np.generic]]:
    """Arrays of a clip by name, halves made floats."""
    arrays = {f.name: getattr(clip, f.name) for f in fields(clip) if f.name != "one_voice"}
    return {name: a.astype(np.float32) if a.dtype == np.float16 else a for name, a in arrays.items()}


def whole(clip: Any, *, one_voice: bool) -> Rows:
    """A batch of one clip, whole."""
    rows = {name: torch.from_numpy(np.ascontiguousarray(a))[None] for name, a in arrays_of(clip).items()}
    rows["there"] = torch.ones(rows["passage"].shape, dtype=torch.bool)
    return _with_levels({**rows, "one_voice": torch.tensor([float(one_voice)])})


def _with_levels(rows: Rows) -> Rows:
    """Levels, where there are any, as numbers: they are kept in bytes."""
    return {**rows, "levels": rows["levels"].float() / LEVEL_STEPS} if "levels" in rows else rows


def hidden_of(rows: Rows) -> torch.Tensor:
    """Pairs of strikes that do not see one another: those of different passages, and padding."""
    return (rows["passage"][:, None] != rows["passage"][:, :, None]) | ~rows["there"][:, None]


def varied(inputs: torch.Tensor, spread: torch.Tensor, random: torch.Generator) -> torch.Tensor:
    """Measures of each window as of another instrument: all moved together, and each strike's a little."""
    together = 0.15 * torch.randn(len(inputs), 1, inputs.shape[2], generator=random)
    own = 0.05 * torch.randn(inputs.shape, generator=random)
    return inputs + spread * (together + own)


def recoloured(
    levels: torch.Tensor, pitch: torch.Tensor, random: torch.Generator, share: float = 1.0
) -> torch.Tensor:
    """Levels of each window as of another instrument or room: a share of a smooth colour over the pitches."""
    batch = len(levels)
    points = share * COLOUR * torch.randn(batch, 1, COLOUR_POINTS, generator=random)
    colour = functional.interpolate(points, size=PITCHES, mode="linear", align_corners=True)[:, 0]
    colour = colour + LOUDNESS * torch.randn(batch, 1, generator=random)
    place = (pitch[:, :, None] + LOWEST_STEP + torch.arange(STEPS)).clamp(0, PITCHES - 1)
    added = colour.gather(1, place.flatten(1)).view(place.shape)[:, :, None]
    seen, heard = levels[:, :, :LEVEL_VIEWS], levels[:, :, LEVEL_VIEWS:]
    # Silence stays silence.
    return torch.cat([torch.where(seen > 0, (seen + added).clamp(min=0), seen), heard], dim=2)


def spread_of(clips: list[Any]) -> tuple[torch.Tensor, torch.Tensor]:
    """Mean and spread of the inputs of clips, (inputs,) both."""
    inputs = torch.from_numpy(np.concatenate([c.inputs for c in clips[::3]]).astype(np.float32))
    return inputs.mean(dim=0), inputs.std(dim=0).clamp(min=1e-2)


def split(clips: list[Any]) -> tuple[list[int], list[int]]:
    """Which tuning clips are learnt from and which are held out: every second one of one voice and of many."""
    groups = [[i for i, c in enumerate(clips) if bool(c.one_voice) == one] for one in (False, True)]
    return [i for g in groups for i in g[::2]], [i for g in groups for i in g[1::2]]


def trained_on(
    clips: list[Any],
    weights: list[float],
    make: Callable[[torch.Tensor, torch.Tensor], T],
    loss_of: Callable[[torch.Tensor, Rows], torch.Tensor],
    minutes: float,
    path: Path,
    *,
    as_many: float = 0.0,
    peak_rate: float = PEAK_RATE,
    colour: float = 1.0,
) -> T:
    """A network with averaged weights, trained on windows of clips.

    Args:
        clips, weights, as_many: as for ``Windows``.
        make: the network from mean and spread of the inputs.
        loss_of: of what it says of a batch.
        minutes: of learning, over all runs.
        path: checkpoint, which is gone on from.
        peak_rate: highest learning rate.
        colour: share of the colours by which instruments and rooms are varied.
    """
    torch.manual_seed(SEED)
    random = torch.Generator().manual_seed(SEED)
    windows = Windows(clips, weights, SEED, as_many)
    mean, spread = spread_of(clips)
    network = make(mean, spread)
    learner = Learner(network, minutes, peak_rate=peak_rate, warm_steps=100, weight_decay=1e-2, path=path)
    while not learner.done:
        rows = windows.batch()
        rows["inputs"] = varied(rows["inputs"], spread, random)
        if "levels" in rows:
            rows["levels"] = recoloured(rows["levels"], rows["pitch"], random, colour)
        learner.learn(loss_of(network(rows), rows))
    learner.averaged()
    return network
