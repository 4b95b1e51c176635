"""Training goes on from the network that the application ships, when no checkpoint is left.

The exporter folded every norm into the convolution before it. Here a norm is opened again
around what its convolution gives on real material, so that the network answers as before
and learns as if it had never been folded.
"""

from pathlib import Path

import numpy as np
import onnx
import torch
from onnx import numpy_helper

from training.note_batches import Batch
from training.note_network import NoteNetwork


def _weights(path: Path) -> dict[str, tuple[torch.Tensor, torch.Tensor]]:
    """Weight and bias of every convolution, by its place in the network; 8 bits are widened."""
    graph = onnx.load(path).graph
    values = {i.name: numpy_helper.to_array(i).astype(np.float32) for i in graph.initializer}
    found = {}
    for node in graph.node:
        if node.op_type == "QLinearConv":
            # In, weight and out each come with their scale and zero, then the bias in steps of in times weight.
            _, in_scale, _, weight, scale, _, _, _, bias = node.input
            whole = values[weight]
            widened = whole * values[scale].reshape(-1, *[1] * (whole.ndim - 1))
            given = widened, values[bias] * values[in_scale] * values[scale]
        elif node.op_type in ("Conv", "FusedConv"):
            given = values[node.input[1]], values[node.input[2]]
        else:
            continue
        name = node.name.removeprefix("/network/").removesuffix("/Conv").replace("slow/slow", "slow")
        found[name.replace("/", ".")] = tuple(torch.from_numpy(np.ascontiguousarray(part)) for part in given)
    return found


def take_over(network: NoteNetwork, path: Path, batches: list[Batch]) -> None:
    """Gives ``network`` the weights of the shipped one.

    Args:
        network: of the same shape as the shipped one; changed.
        path: the ONNX file.
        batches: material on which the norms are opened again.

    Raises:
        KeyError: the shipped network has another shape.
    """
    found = _weights(path)
    modules = dict(network.named_modules())
    left = {name for name, module in modules.items() if isinstance(module, torch.nn.Conv2d)} - set(found)
    if left:
        raise KeyError(f"{path} has no weights for {', '.join(sorted(left))}.")
    folded = {name: modules[f"{name}_norm"] for name in found if f"{name}_norm" in modules}
    with torch.no_grad():
        for name, (weight, bias) in found.items():
            modules[name].weight.copy_(weight)
            if name in folded:
                folded[name].weight.fill_(1.0)
                folded[name].bias.copy_(bias)
                folded[name].running_mean.zero_()
                folded[name].running_var.fill_(1.0)
            else:
                modules[name].bias.copy_(bias)
    sums: dict[str, list[torch.Tensor]] = {name: [] for name in folded}

    def note(name: str):
        return lambda _module, _inputs, output: sums[name].append(
            torch.stack([output.mean(dim=(0, 2, 3)), output.square().mean(dim=(0, 2, 3))])
        )

    hooks = [modules[name].register_forward_hook(note(name)) for name in folded]
    network.eval()
    with torch.no_grad():
        for batch in batches:
            network(torch.from_numpy(batch.long), torch.from_numpy(batch.short))
        for name, norm in folded.items():
            mean, square = torch.stack(sums[name]).mean(dim=0)
            variance = (square - mean**2).clamp(min=1e-6)
            bias = norm.bias.clone()
            norm.running_mean.copy_(mean)
            norm.running_var.copy_(variance)
            norm.weight.copy_(torch.sqrt(variance + norm.eps))
            norm.bias.copy_(bias + mean)
    for hook in hooks:
        hook.remove()
    network.train()
