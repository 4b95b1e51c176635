"""A trained network as the ONNX file that the application ships."""

from pathlib import Path

import numpy as np
import onnx
import onnxruntime
import torch
from onnx import TensorProto, helper, numpy_helper

# Any runtime of the last years reads it.
OPSET = 17
# Smaller tables of weights are not worth halving.
FEWEST_HALVED = 256
# What is kept smaller is called so, and without it when it is single again; so are the steps of whole numbers.
KEPT, STEPS = " kept", " steps"


def write_onnx(
    network: torch.nn.Module,
    given: tuple[torch.Tensor, ...],
    target: Path,
    names: tuple[str, ...],
    axes: dict[str, dict[int, str]],
    *,
    ready: bool = True,
) -> None:
    """Writes a network, and tells how large it is.

    Args:
        network: ready to be used.
        given: an example of its inputs.
        target: the file.
        names: of the inputs, then of the outputs.
        axes: by name, the axes that may have any length.
        ready: whether it is shipped as it is; what is still made smaller must not be made ready before.
    """
    torch.onnx.export(
        network,
        given,
        target,
        input_names=list(names[: len(given)]),
        output_names=list(names[len(given) :]),
        dynamic_axes=axes,
        opset_version=OPSET,
        dynamo=False,
    )
    if ready:
        make_ready(target)
    print(f"{target}: {target.stat().st_size / 1000:.0f} kB", flush=True)


def make_ready(target: Path) -> None:
    """Does once to a network what the runtime does at every start: the same answers, a third of the time to open."""
    options = onnxruntime.SessionOptions()
    options.graph_optimization_level = onnxruntime.GraphOptimizationLevel.ORT_ENABLE_EXTENDED
    ready = target.with_suffix(".ready")
    options.optimized_model_filepath = str(ready)
    onnxruntime.InferenceSession(target, options, providers=["CPUExecutionProvider"])
    ready.replace(target)


def halve(target: Path) -> None:
    """Keeps the weights of a network in half precision: half the size; it still reckons in single precision."""
    model = onnx.load(target)
    graph, casts = model.graph, []
    for weights in graph.initializer:
        values = numpy_helper.to_array(weights)
        if values.dtype == np.float32 and values.size >= FEWEST_HALVED:
            name = weights.name
            casts.append(helper.make_node("Cast", [name + KEPT], [name], to=TensorProto.FLOAT))
            weights.CopyFrom(numpy_helper.from_array(values.astype(np.float16), name + KEPT))
    nodes = [*casts, *graph.node]
    del graph.node[:]
    graph.node.extend(nodes)
    onnx.save(model, target)
    print(f"{target}: {target.stat().st_size / 1000:.0f} kB", flush=True)


def in_8_bits(target: Path) -> None:
    """Keeps the tables of weights of a network in 8 bits, a scale for each row or column: a quarter of the size.

    It still reckons in single precision, so that nothing has to be calibrated.
    """
    model = onnx.load(target)
    graph, back = model.graph, []
    for weights in list(graph.initializer):
        values = numpy_helper.to_array(weights)
        if values.dtype != np.float32 or values.size < FEWEST_HALVED or values.ndim < 2:
            continue
        axis, scale, whole = min((_whole(values, axis) for axis in range(values.ndim)), key=lambda w: _off(values, w))
        kept, steps = weights.name + KEPT, weights.name + STEPS
        graph.initializer.remove(weights)
        graph.initializer.extend([numpy_helper.from_array(whole, kept), numpy_helper.from_array(scale, steps)])
        back.append(helper.make_node("DequantizeLinear", [kept, steps], [weights.name], axis=axis))
    nodes = [*back, *graph.node]
    del graph.node[:]
    graph.node.extend(nodes)
    onnx.save(model, target)
    print(f"{target}: {target.stat().st_size / 1000:.0f} kB", flush=True)


def widened(values: np.ndarray, scale: np.ndarray, axis: int) -> np.ndarray:
    """Weights again from whole numbers and the scale of each place along an axis."""
    return values * scale.reshape([-1 if i == axis else 1 for i in range(values.ndim)])


def _whole(values: np.ndarray, axis: int) -> tuple[int, np.ndarray, np.ndarray]:
    others = tuple(i for i in range(values.ndim) if i != axis)
    scale = np.maximum(np.abs(values).max(axis=others) / 127, np.float32(1e-12))
    return axis, scale, np.round(widened(values, 1 / scale, axis)).astype(np.int8)


def _off(values: np.ndarray, found: tuple[int, np.ndarray, np.ndarray]) -> float:
    axis, scale, whole = found
    return float(np.square(widened(whole, scale, axis) - values).mean())
