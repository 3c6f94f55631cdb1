"""The trained network with weights and activations in eight bits: half the size and half the time.

One weight scale per output channel, ranges of activations from examples (Jacob et al., CVPR 2018). Weights use seven of
their bits, so that sums cannot saturate on processors without dot products of bytes.
"""

from pathlib import Path

import numpy as np
import onnxruntime
from onnxruntime.quantization import CalibrationDataReader, QuantFormat, QuantType, quantize_static


class _Examples(CalibrationDataReader):
    def __init__(self, examples: list[np.ndarray]) -> None:
        self._left = iter(examples)

    def get_next(self) -> dict[str, np.ndarray] | None:
        x = next(self._left, None)
        return None if x is None else {"features": x}


def quantise(path: Path, examples: list[np.ndarray]) -> None:
    """Replace a network in single precision. examples: (1, channels, h, w) float32 features as in use."""
    folded = path.with_suffix(".folded.onnx")
    options = onnxruntime.SessionOptions()
    options.graph_optimization_level = onnxruntime.GraphOptimizationLevel.ORT_ENABLE_BASIC
    options.optimized_model_filepath = str(folded)
    onnxruntime.InferenceSession(str(path), options, providers=["CPUExecutionProvider"])
    quantize_static(
        folded,
        path,
        _Examples(examples),
        quant_format=QuantFormat.QDQ,
        op_types_to_quantize=["Conv", "Concat", "Resize"],
        per_channel=True,
        reduce_range=True,
        weight_type=QuantType.QInt8,
        activation_type=QuantType.QUInt8,
    )
    folded.unlink()
