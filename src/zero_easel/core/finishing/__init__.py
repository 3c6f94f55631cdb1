"""From a placed item to a file's bytes: drawing, grounds, overlays, encoding, metadata, checks, contact sheets.

Begin with render.py: draw() is the single resampling; encode.py and embed.py make the file.
"""
