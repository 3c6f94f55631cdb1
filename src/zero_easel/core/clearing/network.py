"""A small network's opinion of each pixel, from physical evidence; trained on rendered scenes (training/).

Light that bounces off the item tints paper and shadow around it, the core of a shadow is as dark as the item, white on
white differs along its outline only: thresholds on single pixels fail there. The network sees differences to the
backdrop, so exposure, cast and the paper's colour drop out.
"""

from functools import cache
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from zero_easel.core.light.colour import Float

if TYPE_CHECKING:
    import onnxruntime

WEIGHTS = Path(__file__).with_name("regions.onnx")
_STEP = 64


def ask_network(features: Float) -> Float:
    """(channels, h, w) float32 features of a picture -> (h, w) float32 in [0, 1], how probable item is at a pixel."""
    h, w = features.shape[1:]
    padded = np.pad(features, ((0, 0), (0, -h % _STEP), (0, -w % _STEP)), mode="edge")
    found = session_of(WEIGHTS).run(["item"], {"features": np.ascontiguousarray(padded, np.float32)[None]})[0]
    return np.asarray(found[0, 0, :h, :w], np.float32)


@cache
def session_of(weights: Path) -> "onnxruntime.InferenceSession":
    """A network ready to run. One per process, on one thread: photos are the parallel part, and sums keep their
    order."""
    # Starts a thread as it is loaded, and processes with threads must not fork: so not before it is needed.
    import onnxruntime

    options = onnxruntime.SessionOptions()
    options.intra_op_num_threads = options.inter_op_num_threads = 1
    options.log_severity_level = 3
    # Photos differ in shape: memory plans for each would only pile up.
    options.enable_mem_pattern = False
    return onnxruntime.InferenceSession(str(weights), options, providers=["CPUExecutionProvider"])
