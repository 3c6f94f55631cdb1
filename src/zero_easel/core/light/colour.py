"""sRGB encoding and decoding (IEC 61966-2-1), by table."""

from functools import cache
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

Float = NDArray[np.float32]
Mask = NDArray[np.bool_]
Encoded = NDArray[Any]
"""uint8 or uint16, sRGB-encoded."""

LUMA = np.array([0.2126, 0.7152, 0.0722], np.float32)
"""Weights of linear sRGB in relative luminance (ITU-R BT.709)."""


@cache
def _decoding_table(top: int) -> Float:
    v = np.arange(top + 1, dtype=np.float64) / top
    return np.where(v <= 0.04045, v / 12.92, ((v + 0.055) / 1.055) ** 2.4).astype(np.float32)


@cache
def _encoding_table() -> NDArray[np.uint8]:
    v = np.arange(65536, dtype=np.float64) / 65535
    encoded = np.where(v <= 0.0031308, v * 12.92, 1.055 * v ** (1 / 2.4) - 0.055)
    return np.round(encoded * 255).astype(np.uint8)


def channel_sum(values: Float) -> Float:
    """(..., c) float32 -> (...) float32: the sum over the channels, many times faster than along so short an axis."""
    return np.asarray(values.reshape(-1, values.shape[-1]) @ np.ones(values.shape[-1], np.float32)).reshape(
        values.shape[:-1]
    )


def to_linear(encoded: Encoded) -> Float:
    """sRGB-encoded uint8 or uint16, any shape -> linear light float32 in [0, 1]."""
    table = _decoding_table(65535 if encoded.dtype == np.uint16 else 255)
    if encoded.dtype == np.uint8:
        return np.asarray(cv2.LUT(np.ascontiguousarray(encoded), table), np.float32)
    return np.asarray(table[encoded], np.float32)


def to_srgb8(linear: Float) -> NDArray[np.uint8]:
    """Linear light float, any shape, values outside [0, 1] clipped -> sRGB-encoded uint8."""
    index = linear * np.float32(65535)
    index += np.float32(0.5)
    np.clip(index, 0, 65535, out=index)
    return np.asarray(cv2.LUT(index.astype(np.uint16), _encoding_table()), np.uint8).reshape(linear.shape)


def to_srgb16(linear: Float) -> NDArray[np.uint16]:
    """Linear light float, any shape, values outside [0, 1] clipped -> sRGB-encoded uint16."""
    v = np.clip(linear, 0, 1)
    encoded = np.where(v <= 0.0031308, v * 12.92, 1.055 * v ** np.float32(1 / 2.4) - 0.055)
    return np.asarray(np.round(encoded * 65535), np.uint16)


def to_srgb(linear: Float, bits: int) -> Encoded:
    """The same with 8 or 16 bits per channel."""
    return to_srgb16(linear) if bits == 16 else to_srgb8(linear)


def largest(channels: Float) -> Float:
    """The largest of three channels, (..., 3) -> (...); several times faster than a reduction over so short an axis."""
    return np.asarray(np.maximum(np.maximum(channels[..., 0], channels[..., 1]), channels[..., 2]), np.float32)
