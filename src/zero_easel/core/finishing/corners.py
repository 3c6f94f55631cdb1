"""A finished picture that gets a little darker towards its corners, so that the eye stays on the item."""

import numpy as np

from zero_easel.core.light.colour import Encoded, Float, to_linear, to_srgb


def darkened(pixels: Encoded, share: float) -> Encoded:
    """(H, W, 3 or 4) uint8 or uint16, alpha last, of which the very corners lose a share, 0 to 1, of their light; the
    middle third stays as it is."""
    if share <= 0:
        return pixels
    bits = 16 if pixels.dtype == np.uint16 else 8
    keeps = 1 - np.float32(share) * falloff(*pixels.shape[:2])
    made = to_srgb(to_linear(np.ascontiguousarray(pixels[..., :3])) * keeps[..., None], bits)
    return np.concatenate([made, pixels[..., 3:]], -1)


def falloff(height: int, width: int) -> Float:
    """(H, W), 0 in the middle third and 1 in the corners, smooth in between (a cubic step)."""
    y = (np.arange(height, dtype=np.float32) + 0.5) / height * 2 - 1
    x = (np.arange(width, dtype=np.float32) + 0.5) / width * 2 - 1
    way = np.clip((np.hypot(x[None], y[:, None]) / np.float32(np.sqrt(2)) - 1 / 3) * 1.5, 0, 1)
    return np.asarray(way * way * (3 - 2 * way), np.float32)
