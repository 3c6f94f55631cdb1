"""Which program this is: two that are the same make the same bytes of the same photo."""

import hashlib
from functools import cache
from importlib.metadata import PackageNotFoundError, version
from pathlib import Path

import zero_easel

_COMPUTING = (
    "numpy", "scipy", "onnxruntime", "opencv-contrib-python-headless", "pillow", "pyvips-binary", "pi-heif", "rawpy",
    "lensfunpy", "zxing-cpp",
)  # fmt: skip
"""Packages on which the bytes of pictures depend."""


@cache
def program() -> str:
    """Release, and a digest of this package's code and models and of what they compute with."""
    digest = hashlib.sha256()
    root = Path(zero_easel.__file__).parent
    for path in sorted(root.rglob("*")):
        if path.suffix in (".py", ".onnx"):
            digest.update(path.relative_to(root).as_posix().encode() + path.read_bytes())
    for name in _COMPUTING:
        digest.update(f"{name} {_release(name)}".encode())
    return f"{_release('zero-easel')} ({digest.hexdigest()[:8]})"


def _release(name: str) -> str:
    try:
        return version(name)
    except PackageNotFoundError:
        return "?"
