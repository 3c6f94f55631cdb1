"""What people change: matches, placing, rules and marks, each written down once and undone from there.

Begin with history.py, the only writer of the change table, and undo.py.
"""
