"""A person's regular expressions: the one door through which they are run, since some never end on some texts."""

import regex

_PATIENCE = 0.5
"""Seconds that one text may take."""
_LONGEST = 1000
"""Characters of the longest expression."""


class ExpressionError(ValueError):
    """An expression that is none, or takes too long; the message says so in words that follow the name of a rule."""


class Expression:
    """A regular expression in the syntax of the regex package, case-sensitive. Raises ExpressionError if it is none."""

    def __init__(self, text: str) -> None:
        if len(text) > _LONGEST:
            raise ExpressionError(f"this regular expression is longer than {_LONGEST} characters")
        try:
            self._compiled = regex.compile(text)
        except (regex.error, IndexError, KeyError, OverflowError, RecursionError, MemoryError) as error:
            raise ExpressionError(f"this is not a regular expression: {_reason(error)}") from error

    def holds(self, text: str) -> bool:
        """Whether the whole text is as the expression says. Raises ExpressionError if it takes too long."""
        try:
            return self._compiled.fullmatch(text, timeout=_PATIENCE) is not None
        except TimeoutError as error:
            raise ExpressionError(f"this regular expression takes too long on {text}") from error

    def replaced(self, text: str, by: str) -> str:
        """The text with all that was found replaced; by may name groups, as \\1 or \\g<name>.

        Raises ExpressionError if it takes too long or names no group.
        """
        try:
            return str(self._compiled.sub(by, text, timeout=_PATIENCE))
        except TimeoutError as error:
            raise ExpressionError("this regular expression takes too long on some of the names") from error
        except (regex.error, IndexError, KeyError) as error:
            raise ExpressionError(f"this is not a replacement: {_reason(error)}") from error


def _reason(error: BaseException) -> str:
    return str(error) if isinstance(error, regex.error | IndexError | KeyError) else "it is too large"
