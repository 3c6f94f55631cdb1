"""The made-up shop Brindle Yard: its catalog and one shoot's photos, for trying everything without own files."""

from zero_easel.demo.load import load_demo

__all__ = ["load_demo"]
