"""The second network for hits: all hits of a loop in; which drums sound in each, and how hard, out."""

import torch
from torch import Tensor, nn

from training.attention import AttentionLayer
from training.hit_network import DRUMS
from training.look import Look

# Distances in time, in seconds, at which hits are told apart.
PERIODS_S = (0.12, 0.25, 0.5, 1.0, 2.0, 4.0)
# Channels of the layers that look at a hit's levels; each layer halves the bands.
CHANNELS = (48, 64, 64)


class DrumNetwork(nn.Module):
    """Measures, levels and moments (batch, hits, ...) to logits (batch, 2 x drums + 1, hits).

    The last says whether anything is struck at all.

    Args:
        measures: mean and spread of the measures, (2, inputs).
        levels: mean and spread of the levels about a hit, (2, stretches, bands).
    """

    def __init__(self, measures: Tensor, levels: Tensor, width: int = 96, heads: int = 4, layers: int = 3) -> None:
        super().__init__()
        self.mean: Tensor
        self.spread: Tensor
        self.register_buffer("mean", measures[0])
        self.register_buffer("spread", measures[1])
        self.look = Look(levels, width, CHANNELS)
        self.first = nn.Sequential(
            nn.Dropout(0.2), nn.Linear(measures.shape[1], width), nn.ReLU(), nn.Linear(width, width)
        )
        self.heads = heads
        self.away = nn.Sequential(nn.Linear(3 * len(PERIODS_S), 24), nn.ReLU(), nn.Linear(24, heads * layers))
        self.layers = nn.ModuleList(AttentionLayer(width, heads) for _ in range(layers))
        self.last = nn.Sequential(nn.LayerNorm(width), nn.Linear(width, 2 * DRUMS + 1))

    def forward(self, measures: Tensor, levels: Tensor, time_s: Tensor, absent: Tensor | None = None) -> Tensor:
        """What is heard; ``absent`` (batch, hits) marks what only fills a batch."""
        later_s = time_s[:, :, None] - time_s[:, None]
        turned = torch.stack([6.2832 * later_s.abs() / period for period in PERIODS_S], dim=3)
        near = torch.exp(-turned)
        told = torch.cat([turned.cos(), near, near * later_s.sign()[..., None]], dim=3)
        away = self.away(told).permute(0, 3, 1, 2)
        hits = self.first((measures - self.mean) / self.spread)
        if absent is not None:
            away = away.masked_fill(absent[:, None, None], -1e4)
        hits = self.look.added(hits, levels, None if absent is None else ~absent)
        for layer, own in zip(self.layers, away.split(self.heads, dim=1), strict=True):
            hits = layer(hits, own)
        logits: Tensor = self.last(hits).transpose(1, 2)
        return logits
