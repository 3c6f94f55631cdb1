"""Products and which photo shows which: tables, codes, code cards, shooting order, matching, names for a batch.

Begin with matching.py, and plan.py for old name -> new name.
"""
