"""The command line: commands.py has one function for each command, given.py reads what they are given."""

from zero_easel.cli.commands import main

__all__ = ["main"]
