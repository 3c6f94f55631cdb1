"""Where items go on their canvases: turn, scale and place of a whole row, from measures alone.

Begin with layout.py: lay_out(); placement.py holds what goes in and comes out.
"""
