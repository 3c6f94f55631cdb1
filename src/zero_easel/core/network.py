"""A small network's opinion of each pixel, from physical evidence; trained on rendered scenes (training/).

Light that bounces off an item tints paper and shadow around it, the core of a shadow is as dark as the item, white on
white differs along its outline only: thresholds on single pixels fail there. The network sees differences to the
estimated backdrop, so exposure, cast and the paper's colour drop out.
"""

from functools import cache
from pathlib import Path

import cv2
import numpy as np
import onnxruntime

from zero_easel.core.colour import Float

WEIGHTS = Path(__file__).with_name("regions.onnx")
_STEP = 64
_SCALES = (1.0, 0.75)


def ask_network(features: Float) -> Float:
    """(channels, h, w) float32 features of a photo -> (h, w) float32 in [0, 1], how probable item is at each pixel.

    The mean of several looks: as it is and mirrored, at two scales.
    """
    looks = [_look(features, scale, mirrored) for scale in _SCALES for mirrored in (False, True)]
    return np.asarray(np.mean(looks, 0), np.float32)


def _look(features: Float, scale: float, mirrored: bool) -> Float:
    """One pass of the network over the features, resized and turned back."""
    h, w = features.shape[1:]
    size = (round(w * scale), round(h * scale))
    seen = features if scale == 1 else np.stack([cv2.resize(f, size, interpolation=cv2.INTER_AREA) for f in features])
    if mirrored:
        seen = seen[..., ::-1]
    padded = np.pad(seen, ((0, 0), (0, -size[1] % _STEP), (0, -size[0] % _STEP)), mode="edge")
    found = _session().run(["item"], {"features": np.ascontiguousarray(padded, np.float32)[None]})[0]
    item = found[0, 0, : size[1], : size[0]]
    if mirrored:
        item = item[:, ::-1]
    return np.asarray(cv2.resize(np.ascontiguousarray(item), (w, h), interpolation=cv2.INTER_LINEAR), np.float32)


@cache
def _session() -> onnxruntime.InferenceSession:
    """One per process, on one thread: photos are the parallel part, and sums keep their order."""
    options = onnxruntime.SessionOptions()
    options.intra_op_num_threads = options.inter_op_num_threads = 1
    options.log_severity_level = 3
    return onnxruntime.InferenceSession(str(WEIGHTS), options, providers=["CPUExecutionProvider"])
