"""A look at the levels about a stroke: layers along the bands, with every moment and view as a channel."""

from itertools import pairwise

import torch
from torch import Tensor, nn


class Look(nn.Module):
    """Levels about strokes (strokes, views, bands) to what they look like, (strokes, width).

    Args:
        scale: mean and spread of the levels, (2, views, bands).
        width: of the answer.
        channels: of each layer, which halves the bands.
    """

    def __init__(self, scale: Tensor, width: int, channels: tuple[int, ...]) -> None:
        super().__init__()
        self.mean: Tensor
        self.spread: Tensor
        self.register_buffer("mean", scale[0].clone())
        self.register_buffer("spread", scale[1].clone())
        _, views, bands = scale.shape
        layers: list[nn.Module] = []
        for before, after in pairwise((views, *channels)):
            layers += [nn.Conv1d(before, after, 5, stride=2, padding=2), nn.ReLU()]
        self.layers = nn.Sequential(*layers)
        self.dropped = nn.Dropout(0.2)
        self.last = nn.Linear(channels[-1] * bands // 2 ** len(channels), width)

    @property
    def scale(self) -> Tensor:
        """Mean and spread, as given."""
        return torch.stack([self.mean, self.spread])

    def forward(self, levels: Tensor) -> Tensor:
        """What the levels look like."""
        seen: Tensor = self.last(self.dropped(self.layers((levels - self.mean) / self.spread).flatten(1)))
        return seen

    def added(self, strokes: Tensor, levels: Tensor, there: Tensor | None = None) -> Tensor:
        """Strokes (batch, strokes, width) with what their levels look like; of a padded batch only those there."""
        if there is None:
            return strokes + self(levels.flatten(0, 1)).view(strokes.shape)
        return strokes.masked_scatter(there[..., None], strokes[there] + self(levels[there]))


def scale_of(levels: Tensor, least: float) -> Tensor:
    """Mean and spread of levels (strokes, views, bands), (2, views, bands); no spread is less than ``least``."""
    return torch.stack([levels.mean(dim=0), levels.std(dim=0).clamp(min=least)])
