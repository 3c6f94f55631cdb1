"""Writes the trained network as ONNX, its weights in sixteen bits.

    python training/things/export.py --stock build/stock --out things.onnx build/things/last.pt

Several checkpoints may be named: their weights are averaged (Wortsman et al., Model soups, ICML 2022). Prints the
overlap on composites of held-out things. It still computes in 32 bits: eight bits for what flows between its layers
save a quarter of its time and cost 0.025 of mean overlap.
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
from network import MARKS, ThingNet, network_of
from onnx import TensorProto, helper, numpy_helper
from stock import UNSEEN, stock_of
from torch import nn


class Whole(nn.Module):
    """(n, 3 + MARKS, h, w): photo as sRGB in 0..255, marks as 0 or 1 -> (n, 1, h, w) log odds of item."""

    def __init__(self, net: ThingNet) -> None:
        super().__init__()
        self.net = net

    def forward(self, seen: torch.Tensor) -> torch.Tensor:
        return self.net((seen[:, :3] - 127) / 128, seen[:, 3:])[0]


def main() -> None:
    """Average, export, measure."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("checkpoints", type=Path, nargs="+")
    parser.add_argument("--stock", type=Path, required=True)
    parser.add_argument("--out", type=Path, required=True)
    parser.add_argument("--examples", type=int, default=48, help="composites of held-out things to measure on")
    args = parser.parse_args()
    cv2.setNumThreads(1)
    example = torch.zeros(1, 3 + MARKS, 288, 384)
    shape = {name: {2: "height", 3: "width"} for name in ("seen", "odds")}
    torch.onnx.export(Whole(averaged(args.checkpoints)), (example,), str(args.out), input_names=["seen"],
                      output_names=["odds"], dynamic_axes=shape, opset_version=17,
                      dynamo=False)  # fmt: skip
    onnx.save(halved(onnx.load(args.out)), args.out)
    unseen = stock_of(args.stock, *UNSEEN)
    found = overlaps(
        args.out, [composite(np.random.default_rng([9, k]), unseen, (384, 288)) for k in range(args.examples)]
    )
    size = args.out.stat().st_size / 1e6
    print(f"{args.out.name}: {size:.1f} MB, median {np.median(found):.4f}, mean {found.mean():.4f}")


def averaged(checkpoints: list[Path]) -> ThingNet:
    """The network with the mean of the checkpoints' averaged weights."""
    states = [torch.load(path, map_location="cpu", weights_only=True)["mean"] for path in checkpoints]
    return network_of(
        {k: sum(s[k].double() for s in states).div(len(states)).to(v.dtype) for k, v in states[0].items()}
    )


def halved(model: onnx.ModelProto) -> onnx.ModelProto:
    """The same network with its larger weights kept in sixteen bits; they are widened once, as it is loaded."""
    for weight in model.graph.initializer:
        values = numpy_helper.to_array(weight)
        if values.dtype == np.float32 and values.size > 64:
            name = weight.name
            weight.CopyFrom(numpy_helper.from_array(values.astype(np.float16), f"{name}.half"))
            model.graph.node.insert(0, helper.make_node("Cast", [f"{name}.half"], [name], to=TensorProto.FLOAT))
    onnx.checker.check_model(model)
    return model


def overlaps(path: Path, held: list[tuple[np.ndarray, np.ndarray]]) -> np.ndarray:
    """Intersection over union on composites, without marks."""
    session = onnxruntime.InferenceSession(str(path), providers=["CPUExecutionProvider"])
    found = []
    for photo, truth in held:
        x = np.concatenate([photo.transpose(2, 0, 1), np.zeros((MARKS, *photo.shape[:2]))]).astype(np.float32)
        item, real = session.run(["odds"], {"seen": x[None]})[0][0, 0] > 0, truth > 127
        found.append((item & real).sum() / max((item | real).sum(), 1) if real.any() else float(not item.any()))
    return np.array(found)


if __name__ == "__main__":
    sys.exit(main())
