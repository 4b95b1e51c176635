"""The second network for notes: all strikes of a passage in; how sure, how hard and how much later each is, out."""

import torch
from torch import Tensor, nn
from torch.nn import functional

from training.attention import AttentionLayer

# Pitches farther apart than this say no more; moments are told apart in so many steps to either side.
MOST_SEMITONES, MOST_STEPS = 48, 30
# Steps of time grow: four to each doubling from this on, so that the last is 3.6 s.
STEP_S, STEPS_A_DOUBLING = 0.02, 4
FADING_S = (0.015, 0.03, 0.06, 0.12, 0.25, 0.5, 1.0, 2.0)
# Measures farther out than this many spreads say no more.
FARTHEST = 6.0


class Lie(nn.Module):
    """How two strikes lie to one another, in semitones and in time, as what speaks for attending: a table.

    Args:
        outputs: of the table, one for each head of each layer.
    """

    def __init__(self, outputs: int, inner: int = 32) -> None:
        super().__init__()
        step = torch.arange(-MOST_STEPS, MOST_STEPS + 1.0)
        apart_s = STEP_S * (2 ** (step.abs() / STEPS_A_DOUBLING) - 1)
        fading = torch.stack([torch.exp(-apart_s / s) for s in FADING_S] + [step / MOST_STEPS], dim=1)
        self.moments: Tensor
        self.register_buffer("moments", torch.cat([fading, fading * step.sign()[:, None]], dim=1))
        self.semitones = nn.Embedding(2 * MOST_SEMITONES + 1, 10)
        self.within = nn.Sequential(
            nn.Linear(self.moments.shape[1] + 10, inner), nn.ReLU(), nn.Linear(inner, inner), nn.ReLU(),
            nn.Linear(inner, outputs),
        )  # fmt: skip

    def table(self) -> Tensor:
        """The outputs for every distance, (semitones x steps, outputs)."""
        moments = self.moments[None].expand(len(self.semitones.weight), -1, -1)
        semitones = self.semitones.weight[:, None].expand(-1, moments.shape[1], -1)
        found: Tensor = self.within(torch.cat([moments, semitones], dim=2))
        return found.flatten(0, 1)


def places(time_s: Tensor, pitch: Tensor) -> Tensor:
    """Row of ``Lie.table`` for each pair of strikes, (batch, strikes, strikes)."""
    apart_s = time_s[:, None] - time_s[:, :, None]
    semitones = (pitch[:, None] - pitch[:, :, None]).clamp(-MOST_SEMITONES, MOST_SEMITONES) + MOST_SEMITONES
    step = apart_s.sign() * STEPS_A_DOUBLING * torch.log2(1 + apart_s.abs() / STEP_S)
    return semitones * (2 * MOST_STEPS + 1) + step.round().clamp(-MOST_STEPS, MOST_STEPS).long() + MOST_STEPS


class StrikeNetwork(nn.Module):
    """Measures (batch, strikes, inputs), moments, pitches (batch, strikes) to (batch, strikes, 3).

    What comes out: log-odds of being a note, velocity (0 to 1), how much later it begins in units.

    Args:
        mean, spread: of the measures, (inputs,).
    """

    def __init__(self, mean: Tensor, spread: Tensor, width: int = 64, heads: int = 4, layers: int = 3) -> None:
        super().__init__()
        self.mean: Tensor
        self.spread: Tensor
        self.register_buffer("mean", mean)
        self.register_buffer("spread", spread)
        self.heads = heads
        self.first = nn.Sequential(
            nn.Dropout(0.1), nn.Linear(len(mean) + 1, width), nn.ReLU(), nn.Linear(width, width)
        )
        self.lie = Lie(heads * layers)
        self.layers = nn.ModuleList(AttentionLayer(width, heads) for _ in range(layers))
        self.last = nn.Sequential(nn.LayerNorm(width), nn.Linear(width, 3))

    def forward(
        self, measures: Tensor, time_s: Tensor, pitch: Tensor, one_voice: Tensor, hidden: Tensor | None = None
    ) -> Tensor:
        """``one_voice`` is (batch,), 1 where one note sounds at a time; ``hidden`` pairs do not see one another."""
        return self.weighed(measures, places(time_s, pitch), one_voice, self.lie.table(), hidden)

    def weighed(
        self, measures: Tensor, place: Tensor, one_voice: Tensor, table: Tensor, hidden: Tensor | None
    ) -> Tensor:
        """As ``forward``, with the table given."""
        away = functional.embedding(place, table).permute(0, 3, 1, 2)
        if hidden is not None:
            away = away.masked_fill(hidden[:, None], -1e4)
        scaled = ((measures - self.mean) / self.spread).clamp(-FARTHEST, FARTHEST)
        voices = one_voice[:, None, None].expand(-1, scaled.shape[1], 1)
        strikes = self.first(torch.cat([scaled, voices], dim=2))
        for layer, own in zip(self.layers, away.split(self.heads, dim=1), strict=True):
            strikes = layer(strikes, own)
        out: Tensor = self.last(strikes)
        return out


class Shipped(nn.Module):
    """The network as it is exported: its table worked out once."""

    def __init__(self, network: StrikeNetwork) -> None:
        super().__init__()
        self.network = network
        self.table: Tensor
        self.register_buffer("table", network.lie.table().detach())

    def forward(self, measures: Tensor, time_s: Tensor, pitch: Tensor, one_voice: Tensor) -> Tensor:
        return self.network.weighed(measures, places(time_s, pitch), one_voice, self.table, None)
