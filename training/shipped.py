"""Training goes on from the networks that the application ships, when no checkpoint is left.

The exporter turned the weights of layers round, and folded every norm into the convolution before it. Here
weights get the names back that they have in training, and a norm is opened again around what its convolution
gives on real material, so that the network answers as before and learns as if it had never been folded.
"""

from collections.abc import Callable
from itertools import zip_longest
from pathlib import Path

import numpy as np
import onnx
import torch
from onnx import numpy_helper

from training.onnx_file import KEPT, STEPS, widened

Weights = dict[str, torch.Tensor]
OF_A_NORM = ("weight", "bias", "running_mean", "running_var", "num_batches_tracked")


def layer_of(node: onnx.NodeProto) -> str:
    """The name in training of the layer that a node came from: the exporter says ``slow/slow.0`` for ``slow.0``."""
    parts = node.name.strip("/").split("/")[:-1]
    pairs = zip_longest(parts, parts[1:], fillvalue="")
    return ".".join(own for own, inner in pairs if not inner.startswith(f"{own}."))


def weights_of(path: Path) -> Weights:
    """All weights of a shipped network, by the names of its layers; 8 bits and halves are widened."""
    graph = onnx.load(path).graph
    values = {i.name.removesuffix(KEPT): numpy_helper.to_array(i).astype(np.float32) for i in graph.initializer}
    for node in graph.node:
        if node.op_type == "DequantizeLinear" and node.output[0] in values:
            name = node.output[0]
            values[name] = widened(values[name], values[name + STEPS], node.attribute[0].i)
    found = dict(values)
    for node in graph.node:
        weight, bias = f"{layer_of(node)}.weight", f"{layer_of(node)}.bias"
        if node.op_type == "QLinearConv":
            # In, weight and out each come with their scale and zero, then the bias in steps of in times weight.
            _, in_scale, _, name, scale, _, _, _, offset = node.input
            whole = values[name]
            found[weight] = whole * values[scale].reshape(-1, *[1] * (whole.ndim - 1))
            found[bias] = values[offset] * values[in_scale] * values[scale]
        elif node.op_type in ("Conv", "FusedConv"):
            found[weight], found[bias] = values[node.input[1]], values[node.input[2]]
        elif node.op_type == "MatMul" and node.input[1] in values:
            found[weight] = values[node.input[1]].T
    return {name: torch.from_numpy(np.ascontiguousarray(value)) for name, value in found.items()}


def part_of(weights: Weights, name: str) -> Weights:
    """Weights of one of several networks that are shipped together."""
    return {whole.removeprefix(f"{name}."): value for whole, value in weights.items() if whole.startswith(f"{name}.")}


def take_over(
    network: torch.nn.Module,
    weights: Weights,
    norms: dict[str, str] | None = None,
    hear: Callable[[], None] | None = None,
) -> None:
    """Gives ``network`` the weights of a shipped one.

    Args:
        network: of the same shape as the shipped one; changed.
        weights: of the shipped one.
        norms: by the name of a convolution, the name of the norm that was folded into it.
        hear: lets the network hear some material, on which the norms are opened again.

    Raises:
        KeyError: the shipped network has another shape.
    """
    norms = norms or {}
    folded = {f"{norm}.{part}" for norm in norms.values() for part in OF_A_NORM}
    fresh = network.state_dict()
    left = set(fresh) - folded - set(weights)
    if left:
        raise KeyError(f"The shipped network has no weights for {', '.join(sorted(left))}.")
    network.load_state_dict({n: v if n in folded else weights[n].reshape(v.shape) for n, v in fresh.items()})
    # What a convolution adds is added by the norm after it from now on.
    for name in (n for n in norms if f"{n}.bias" in fresh):
        torch.nn.init.zeros_(network.get_parameter(f"{name}.bias"))
    if hear:
        _open_norms(network, {name: weights[f"{name}.bias"] for name in norms}, norms, hear)


def _open_norms(network: torch.nn.Module, biases: Weights, norms: dict[str, str], hear: Callable[[], None]) -> None:
    modules = dict(network.named_modules())
    for name, norm_name in norms.items():
        norm = modules[norm_name]
        norm.reset_parameters()
        # Closed, a norm divides by this.
        norm.weight.data.fill_((1 + norm.eps) ** 0.5)
        norm.bias.data.copy_(biases[name])
    sums: dict[str, list[torch.Tensor]] = {name: [] for name in norms}

    def note(name: str):
        def noted(_module, _inputs, output) -> None:
            rows = output.transpose(0, 1).flatten(1)
            sums[name].append(torch.stack([rows.mean(dim=1), rows.square().mean(dim=1)]))

        return noted

    hooks = [modules[name].register_forward_hook(note(name)) for name in norms]
    network.eval()
    with torch.no_grad():
        hear()
        for name, norm_name in norms.items():
            norm = modules[norm_name]
            mean, square = torch.stack(sums[name]).mean(dim=0)
            variance = (square - mean**2).clamp(min=1e-6)
            norm.running_mean.copy_(mean)
            norm.running_var.copy_(variance)
            norm.weight.copy_(torch.sqrt(variance + norm.eps))
            norm.bias.add_(mean)
    for hook in hooks:
        hook.remove()
    network.train()
