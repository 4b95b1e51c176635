"""The network for hits: levels in; any hit, six drums and their velocities of every frame out."""

from itertools import pairwise

import torch
from torch import Tensor, nn
from torch.nn import functional

DRUMS = 6
DILATIONS = (1, 2, 4, 8, 16)


class Residual(nn.Module):
    """A look along time, added to what came in."""

    def __init__(self, channels: int, dilation: int) -> None:
        super().__init__()
        self.look = nn.Conv1d(channels, channels, 5, padding=2 * dilation, dilation=dilation, bias=False)
        self.norm = nn.BatchNorm1d(channels)
        self.mix = nn.Conv1d(channels, channels, 1)

    def forward(self, heard: Tensor) -> Tensor:
        return functional.relu(heard + self.mix(functional.relu(self.norm(self.look(heard)))))


class HitNetwork(nn.Module):
    """Levels (batch, 2, frames, 64) to logits (batch, 13, frames)."""

    def __init__(self, channels: int = 64) -> None:
        super().__init__()
        widths = (5, 14, 22, 28)
        self.layers = nn.ModuleList(
            nn.Sequential(
                nn.Conv2d(a, b, (3, 4), stride=(1, 2), padding=(1, 1), bias=False), nn.BatchNorm2d(b), nn.ReLU()
            )
            for a, b in pairwise(widths)
        )
        self.join = nn.Conv1d(widths[-1] * 8, channels, 1)
        self.times = nn.ModuleList(Residual(channels, d) for d in DILATIONS)
        self.any = nn.Conv1d(channels, 1, 1)
        # What the loud moments of the whole stretch sound like: hat or cymbal is a question of the kit.
        self.kit = nn.Linear(channels, channels)
        self.last = Residual(channels, 1)
        self.drums = nn.Conv1d(channels, 2 * DRUMS, 1)

    def norms(self) -> dict[str, str]:
        """By the name of each convolution that has a norm after it, the name of that norm."""
        looks = {f"layers.{layer}.0": f"layers.{layer}.1" for layer in range(len(self.layers))}
        along = [f"times.{time}" for time in range(len(self.times))]
        return looks | {f"{one}.look": f"{one}.norm" for one in (*along, "last")}

    def forward(self, levels: Tensor) -> Tensor:
        short, long = levels[:, 0], levels[:, 1]

        def risen(view: Tensor, lag: int) -> Tensor:
            return functional.relu(view - functional.pad(view, (0, 0, lag, 0))[:, : view.shape[1]])

        heard = torch.stack([short, long, risen(short, 1), risen(short, 4), risen(long, 8)], dim=1)
        for layer in self.layers:
            heard = layer(heard)
        flat = heard.transpose(2, 3).flatten(1, 2)
        flat = functional.relu(self.join(flat))
        for time in self.times:
            flat = time(flat)
        struck = self.any(flat)
        weight = torch.sigmoid(struck)
        pooled = (flat * weight).sum(dim=2) / (weight.sum(dim=2) + 1e-3)
        flat = self.last(functional.relu(flat + self.kit(pooled).unsqueeze(2)))
        return torch.cat([struck, self.drums(flat)], dim=1)
