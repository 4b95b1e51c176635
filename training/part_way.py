"""Between a network and what it became by going on with its training."""

import torch


def part_way(before: dict[str, torch.Tensor], network: torch.nn.Module, share: float) -> None:
    """Moves a network that went on from ``before`` back until it is ``share`` of the way (Wortsman et al. 2022)."""
    after = network.state_dict()
    floating = {name for name, value in after.items() if value.dtype.is_floating_point}
    network.load_state_dict({n: v.lerp(after[n], share) if n in floating else after[n] for n, v in before.items()})
