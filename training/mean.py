"""What several networks say in the mean."""

import torch


class Mean(torch.nn.Module):
    """What networks that began elsewhere say in the mean, in log-odds: it is surer than what any of them says."""

    def __init__(self, networks: list[torch.nn.Module]) -> None:
        super().__init__()
        self.networks = torch.nn.ModuleList(networks)

    def forward(self, *given: torch.Tensor) -> torch.Tensor:
        return torch.stack([network(*given) for network in self.networks]).mean(dim=0)
