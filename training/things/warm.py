"""Begins a network with a larger encoder where one with a smaller encoder ended: the decoder is taken over, and what it
looked at is told from the new encoder's features by ridge regression (Hoerl & Kennard, Technometrics 1970).

    python training/things/warm.py --stock build/stock --from build/small/last.pt --encoder-from lite0.pth \\
        --encoder lite2.pth --out build/things
"""

import argparse
from pathlib import Path

import numpy as np
import torch
from composites import composite
from network import MARKS, ThingNet, pretrained
from stock import Stock, stock_of
from torch import nn
from torch.nn import functional

_EACH = 1500
"""Places looked at in each composite."""
_RIDGE = 1e-4


def main() -> None:
    """Fit, and write a checkpoint of step 0."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--stock", type=Path, required=True)
    parser.add_argument("--from", dest="small", type=Path, required=True)
    parser.add_argument("--encoder-from", type=Path, required=True)
    parser.add_argument("--encoder", type=Path, required=True)
    parser.add_argument("--out", type=Path, required=True)
    parser.add_argument("--composites", type=int, default=240)
    args = parser.parse_args()
    small = ThingNet(pretrained(args.encoder_from))
    small.load_state_dict(torch.load(args.small, weights_only=True)["mean"])
    large = ThingNet(pretrained(args.encoder))
    for at, left in enumerate(fit(small.eval(), large.eval(), stock_of(args.stock, "training"), args.composites)):
        print(f"tap {at}: {left:.3f} of what the decoder looked at is not told")
    args.out.mkdir(parents=True, exist_ok=True)
    state = large.state_dict()
    torch.save({"net": state, "mean": state, "step": 0, "seconds": 0.0}, args.out / "last.pt")


def looked_at(net: ThingNet) -> list[nn.Conv2d]:
    """What the decoder looks at each of the encoder's features with, the finest first."""
    return [*(up.skip for up in reversed(list(net.up))), net.neck[0]]


def fit(small: ThingNet, large: ThingNet, stock: Stock, count: int) -> list[float]:
    """Gives the large network the small one's decoder; returns the share of variance that is not told, by tap."""
    kept, own = small.state_dict(), large.state_dict()
    own |= {k: kept[k].clone() for k in own if not k.startswith("encoder") and own[k].shape == kept[k].shape}
    large.load_state_dict(own)
    rng, before, after = np.random.default_rng(77), looked_at(small), looked_at(large)
    squares = [torch.zeros(conv.in_channels, conv.in_channels, dtype=torch.double) for conv in after]
    products = [torch.zeros(conv.in_channels, conv.out_channels, dtype=torch.double) for conv in after]
    spread = [0.0] * len(after)
    with torch.no_grad():
        for _ in range(count):
            x = torch.from_numpy(composite(rng, stock, (384, 288))[0]).permute(2, 0, 1)[None].float().sub(127).div(128)
            marks = torch.zeros(1, MARKS, *x.shape[2:])
            taps = zip(small.encoder(x, marks), large.encoder(x, marks), strict=True)
            for at, (seen, features) in enumerate(taps):
                wanted = functional.conv2d(seen, before[at].weight)[0].flatten(1).T
                given = features[0].flatten(1).T
                some = torch.from_numpy(rng.permutation(len(given))[:_EACH])
                given, wanted = given[some].double(), wanted[some].double()
                squares[at] += given.T @ given
                products[at] += given.T @ wanted
                spread[at] += float((wanted**2).sum())
        left = []
        for at, conv in enumerate(after):
            ridge = _RIDGE * squares[at].diagonal().mean() * torch.eye(len(squares[at]), dtype=torch.double)
            weights = torch.linalg.solve(squares[at] + ridge, products[at])
            conv.weight.copy_(weights.T.float()[..., None, None])
            told = 2 * float((weights * products[at]).sum()) - float(((squares[at] @ weights) * weights).sum())
            left.append(1 - told / max(spread[at], 1e-9))
    return left


if __name__ == "__main__":
    main()
