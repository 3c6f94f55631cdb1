"""Light and colour: white and exposure from the backdrop, small amounts by rule, and how far colours are apart.

Begin with `balance.py`, which decides for a row of photos; `toning.py` carries it out, `difference.py` measures.
"""
