"""Text that comes from outside: what no name, file or database can hold is taken out at the door."""


def printable(text: str, *, lines: bool = False) -> str:
    """Text without control characters, halves of surrogate pairs and what else cannot be printed.

    Parameters
    ----------
    text : from a file, a header or a request
    lines : whether line breaks and tabs stay
    """
    if text.isprintable():
        return text
    kept = "\n\t" if lines else ""
    return "".join(c for c in text if c.isprintable() or c in kept)


def one_line(text: str, longest: int) -> str:
    """Printable text with single blanks between its words, cut to a length."""
    return printable(" ".join(text.split()))[:longest].strip()
