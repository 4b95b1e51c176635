"""A layer in which each thing of a clip attends to all others, with a say of how they lie to one another."""

from torch import Tensor, nn


class AttentionLayer(nn.Module):
    """Every one attends to all others, then thinks for itself; both added to what came in (Vaswani et al. 2017)."""

    def __init__(self, width: int, heads: int) -> None:
        super().__init__()
        self.heads = heads
        self.before, self.after = nn.LayerNorm(width), nn.LayerNorm(width)
        self.asked = nn.Linear(width, 3 * width)
        self.answered = nn.Linear(width, width)
        self.own = nn.Sequential(nn.Linear(width, 2 * width), nn.ReLU(), nn.Dropout(0.1), nn.Linear(2 * width, width))
        self.dropped = nn.Dropout(0.1)

    def forward(self, things: Tensor, away: Tensor) -> Tensor:
        """Things (batch, count, width) and how they lie to one another (batch, heads, count, count) to things."""
        batch, count, width = things.shape
        asked = self.asked(self.before(things)).view(batch, count, 3, self.heads, width // self.heads)
        query, key, value = asked.permute(2, 0, 3, 1, 4).unbind(0)
        # Divided before they meet: the products are many more.
        likeness = (query / (width // self.heads) ** 0.5) @ key.transpose(2, 3) + away
        found = (likeness.softmax(dim=3) @ value).transpose(1, 2).reshape(batch, count, width)
        things = things + self.dropped(self.answered(found))
        out: Tensor = things + self.own(self.after(things))
        return out
