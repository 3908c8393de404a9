"""Sentences about none, one, two and many: the one place where a number meets its noun and its verb."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

IRREGULAR = {"is": "are", "was": "were", "does": "do", "has": "have", "it": "they", "this": "these"}


def listed(names: Sequence[str], last: Literal["and", "or"] = "and") -> str:
    """Names as a person lists them.

    Shapes: names (n,); none give an empty text.
    Units:  none.
    Errors: none.
    Source: house rule: no comma before the last.
    >>> listed(["A", "B", "C"]), listed(["A", "B"], last="or"), listed(["A"])
    ('A, B and C', 'A or B', 'A')
    """
    return f" {last} ".join([", ".join(names[:-1]), names[-1]]) if len(names) > 1 else "".join(names)


def plural(word: str, count: int) -> str:
    """A noun or a verb as it goes with so many; a number of none takes the plural.

    Shapes: scalar.
    Units:  none.
    Errors: none.
    Source: English grammar; the words are those of this interface.
    >>> plural("pull", 1), plural("pull", 0), plural("is", 2), plural("inch", 2), plural("camshaft", 5)
    ('pull', 'pulls', 'are', 'inches', 'camshafts')
    """
    if count == 1:
        return word
    if word in IRREGULAR:
        return IRREGULAR[word]
    if word.endswith(("s", "x", "ch", "sh")):
        return f"{word}es"
    return f"{word[:-1]}ies" if word.endswith("y") and word[-2] not in "aeiou" else f"{word}s"


def counted(count: int, noun: str) -> str:
    """So many of something.

    Shapes: scalar.
    Units:  none.
    Errors: none.
    Source: house rule: figures, and a word for none.
    >>> counted(0, "pull"), counted(1, "pull"), counted(2, "pull"), counted(5, "earlier test")
    ('no pulls', '1 pull', '2 pulls', '5 earlier tests')
    """
    return f"{count or 'no'} {plural(noun, count)}"


def numbered(noun: str, numbers: Sequence[int]) -> str:
    """Things that have numbers, by their numbers.

    Shapes: numbers (n,).
    Units:  none.
    Errors: none.
    Source: house rule.
    >>> numbered("pull", [3]), numbered("pull", [3, 5, 6])
    ('pull 3', 'pulls 3, 5 and 6')
    """
    return f"{plural(noun, len(numbers))} {listed([str(number) for number in numbers])}"
