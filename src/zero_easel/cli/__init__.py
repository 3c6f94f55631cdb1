"""The command line: commands.py has one function for each command, given.py reads what they are given."""


def main() -> None:
    """Entry point of the program."""
    # Commands are not loaded with this module: worker processes load what began the program, too, and need none.
    from zero_easel.cli.commands import main as begin

    begin()
