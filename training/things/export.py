"""Writes the trained network as ONNX, in eight bits.

    python training/things/export.py --stock build/stock --out things.onnx build/things/last.pt

Several checkpoints may be named: their weights are averaged (Wortsman et al., Model soups, ICML 2022). Prints the
overlap on composites of held-out things before and after.
"""

import argparse
import sys
from pathlib import Path

import cv2
import numpy as np
import onnx
import onnxruntime
import torch
from composites import composite
from hand import first_marks, planes_of
from network import MARKS, Encoder, ThingNet
from onnxruntime.quantization import CalibrationDataReader, QuantFormat, QuantType, quantize_static
from onnxruntime.quantization.shape_inference import quant_pre_process
from stock import UNSEEN, stock_of
from torch import nn

SIZES = ((384, 288), (288, 384), (512, 384))


class Whole(nn.Module):
    """(n, 3 + MARKS, h, w): photo as sRGB in 0..255, marks as 0 or 1 -> (n, 1, h, w) log odds of item."""

    def __init__(self, net: ThingNet) -> None:
        super().__init__()
        self.net = net

    def forward(self, seen: torch.Tensor) -> torch.Tensor:
        return self.net((seen[:, :3] - 127) / 128, seen[:, 3:])[0]


class _Examples(CalibrationDataReader):
    def __init__(self, examples: list[np.ndarray]) -> None:
        self._left = iter(examples)

    def get_next(self) -> dict[str, np.ndarray] | None:
        x = next(self._left, None)
        return None if x is None else {"seen": x}


def main() -> None:
    """Average, export, quantise, measure."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("checkpoints", type=Path, nargs="+")
    parser.add_argument("--stock", type=Path, required=True)
    parser.add_argument("--out", type=Path, required=True)
    parser.add_argument("--examples", type=int, default=48, help="composites to find scales by, and to measure on")
    args = parser.parse_args()
    cv2.setNumThreads(1)
    net = averaged(args.checkpoints)
    single = args.out.with_suffix(".single.onnx")
    example = torch.zeros(1, 3 + MARKS, 288, 384)
    shape = {"seen": {2: "height", 3: "width"}, "odds": {2: "height", 3: "width"}}
    torch.onnx.export(Whole(net), (example,), str(single), input_names=["seen"], output_names=["odds"],
                      dynamic_axes=shape, opset_version=17, dynamo=False)  # fmt: skip
    stock = stock_of(args.stock, "training")
    quantise(single, args.out, [seen(stock, k) for k in range(args.examples)])
    unseen = stock_of(args.stock, *UNSEEN)
    held = [composite(np.random.default_rng([9, k]), unseen, (384, 288)) for k in range(args.examples)]
    for path in (single, args.out):
        found = overlaps(path, held)
        print(
            f"{path.name}: {path.stat().st_size / 1e6:.1f} MB, median {np.median(found):.4f}, mean {found.mean():.4f}"
        )
    single.unlink()


def averaged(checkpoints: list[Path]) -> ThingNet:
    """The network with the mean of the checkpoints' averaged weights."""
    states = [torch.load(path, map_location="cpu", weights_only=True)["mean"] for path in checkpoints]
    net = ThingNet(Encoder()).eval()
    net.load_state_dict(
        {k: sum(s[k].double() for s in states).div(len(states)).to(v.dtype) for k, v in states[0].items()}
    )
    return net


def seen(stock, number: int) -> np.ndarray:
    """(1, 3 + MARKS, h, w) float32, a composite as the network sees it, every third with marks."""
    rng = np.random.default_rng([21, number])
    size = SIZES[number % len(SIZES)]
    photo, truth = composite(rng, stock, size)
    marks = planes_of(first_marks(rng, truth > 127) if number % 3 == 0 else [], size)
    return np.concatenate([photo.transpose(2, 0, 1).astype(np.float32), marks])[None]


def quantise(single: Path, out: Path, examples: list[np.ndarray]) -> None:
    """Weights and activations in eight bits, a scale for each channel of weights (Jacob et al., CVPR 2018). Weights use
    seven of their bits, so that sums cannot saturate on processors without dot products of bytes. Clip is among them so
    that a convolution's output is measured after it: values beyond ReLU6's ends would take all of the scale."""
    ready = single.with_suffix(".ready.onnx")
    quant_pre_process(str(single), str(ready), skip_symbolic_shape=True)
    quantize_static(ready, out, _Examples(examples), quant_format=QuantFormat.QDQ, per_channel=True, reduce_range=True,
                    weight_type=QuantType.QInt8, activation_type=QuantType.QUInt8,
                    op_types_to_quantize=["Conv", "Clip"])  # fmt: skip
    ready.unlink()
    onnx.checker.check_model(onnx.load(out))


def overlaps(path: Path, held: list[tuple[np.ndarray, np.ndarray]]) -> np.ndarray:
    """Intersection over union on composites, without marks."""
    session = onnxruntime.InferenceSession(str(path), providers=["CPUExecutionProvider"])
    found = []
    for photo, truth in held:
        x = np.concatenate([photo.transpose(2, 0, 1), np.zeros((MARKS, *photo.shape[:2]))]).astype(np.float32)
        item, real = session.run(None, {"seen": x[None]})[0][0, 0] > 0, truth > 127
        found.append((item & real).sum() / max((item | real).sum(), 1) if real.any() else float(not item.any()))
    return np.array(found)


if __name__ == "__main__":
    sys.exit(main())
