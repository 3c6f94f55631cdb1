"""A shop's written rules: the model, changing it value by value, its file, and every part that rules are made of.

A rule is declared once, on its field (rule.py); its words, unit, file, sentence and page of docs follow.
Begin with rules.py, then model.py.
"""
