"""The second network for beats: a row of beats in; which begin bars, in which meter, and whether the row is right."""

from torch import Tensor, nn

from honest_stave.core.beat.beats_hearing import METERS
from training.attention import AttentionLayer

# Beats farther apart than this are told apart no more.
MOST_BEATS = 48
# Features farther out than this many spreads say no more.
FARTHEST = 6.0


class BarNetwork(nn.Module):
    """Features (batch, beats, features) and numbers of beats (batch, beats) to logits (batch, beats, 2 + meters).

    The first says that a beat begins a bar, the second that the music is counted as the row counts it.

    Args:
        mean, spread: of the features, (features,).
    """

    def __init__(self, mean: Tensor, spread: Tensor, width: int = 64, heads: int = 4, layers: int = 3) -> None:
        super().__init__()
        self.mean: Tensor
        self.spread: Tensor
        self.register_buffer("mean", mean)
        self.register_buffer("spread", spread)
        self.heads = heads
        self.first = nn.Sequential(nn.Dropout(0.2), nn.Linear(len(mean), width), nn.ReLU(), nn.Linear(width, width))
        self.away = nn.Embedding(2 * MOST_BEATS + 1, heads * layers)
        nn.init.zeros_(self.away.weight)
        self.layers = nn.ModuleList(AttentionLayer(width, heads) for _ in range(layers))
        self.last = nn.Sequential(nn.LayerNorm(width), nn.Dropout(0.2), nn.Linear(width, 2 + len(METERS)))

    def forward(self, features: Tensor, number: Tensor, absent: Tensor | None = None) -> Tensor:
        apart = (number[:, None] - number[:, :, None]).clamp(-MOST_BEATS, MOST_BEATS) + MOST_BEATS
        away = self.away(apart).permute(0, 3, 1, 2)
        if absent is not None:
            away = away.masked_fill(absent[:, None, None], -1e4)
        beats = self.first(((features - self.mean) / self.spread).clamp(-FARTHEST, FARTHEST))
        for layer, own in zip(self.layers, away.split(self.heads, dim=1), strict=True):
            beats = layer(beats, own)
        out: Tensor = self.last(beats)
        return out
