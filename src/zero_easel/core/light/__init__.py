"""Light and geometry: colours in linear light, sizes, boxes, windows and maps, resampling, filling.

Nothing here knows of photos, items or rules. Begin with geometry.py: its words are used everywhere.
"""
