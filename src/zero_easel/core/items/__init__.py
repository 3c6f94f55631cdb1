"""A cut-out item as it is kept, and its measures: bounds, hull, foot, lean, mirror axes, and reasons to look.

Begin with item.py: CutItem is what clearing makes and everything later starts from.
"""
