"""Which eight-bit encoding is a text in? The one in which its letters are those of one language.

Every byte is some letter in each of these encodings, so that nothing but sense tells them apart: in the wrong one,
Łódź becomes £ódŸ, and Příbram Pøíbram, whose letters no language has together.
"""

from __future__ import annotations

import re
from dataclasses import dataclass

_MOST_WORDS = 5_000
_COMMON = "‘’‚“”„–—…€°§«»‹›·•½¼¾²³№\u00a0"
# In the order in which they are preferred where two do alike: encoding, what to call it, and languages' own letters;
# behind a blank, pairs of letters of which the first stands in no other pair.
_LANGUAGES: tuple[tuple[str, str, tuple[str, ...]], ...] = (
    (
        "cp1252",
        "Western European",
        (
            "éèêëàâùûüôîïçœæÿ",
            "äöüß",
            "åäöæøé",
            "ñáéíóúüªº¿¡",
            "ãáéíóúâêôàçüªº õe",
            "äöüõšž",
            "àèéìòùíóî",
            "ëïéèüö",
            "áéíóúýþðæö",
        ),
    ),
    (
        "cp1250",
        "Central European",
        ("ąćęłńóśźż", "áčďéěíňóřšťúůýž", "áäčďéíĺľňóôŕšťúýž", "áéíóöőúüű", "ăâîşţ", "čćđšž"),
    ),
    ("iso8859_2", "Central European (ISO 8859-2)", ("ąćęłńóśźż", "áčďéěíňóřšťúůýž", "áéíóöőúüű", "čćđšž")),
    ("cp1251", "Cyrillic", ("абвгдеёжзийклмнопрстуфхцчшщъыьэюя", "абвгдеєжзиіїйклмнопрстуфхцчшщьюяґ")),
    ("cp1253", "Greek", ("αβγδεζηθικλμνξοπρσςτυφχψωάέήίόύώϊϋΐΰ",)),
    ("cp1254", "Turkish", ("çğıöşüâîû",)),
)


@dataclass(frozen=True)
class Guessed:
    """`says` names the encoding and some words read in it."""

    encoding: str
    says: str


def eight_bit(raw: bytes) -> Guessed:
    """Guess from a text's bytes, which are no UTF-8: from its different words with letters beyond ASCII."""
    telling = dict.fromkeys(w for w in re.findall(rb"[^\s,;|\"]+", raw) if not w.isascii())
    raw = b" ".join(list(telling)[:_MOST_WORDS])
    tried = [
        (_senseless(raw, encoding, letters), order, encoding, called)
        for order, (encoding, called, languages) in enumerate(_LANGUAGES)
        for letters in languages
    ]
    _, _, encoding, called = min(tried)
    text = raw.decode(encoding, errors="replace")
    words = list(dict.fromkeys(w for w in re.findall(r"[^\W\d_]{3,30}", text) if not w.isascii()))[:4]
    some = f", as in {', '.join(words)}" if words else ""
    return Guessed(encoding, f"Its text is no UTF-8; it was read as {called} ({encoding}) by its letters{some}.")


def _senseless(raw: bytes, encoding: str, letters: str) -> int:
    """How many characters beyond ASCII are none of a language's, or stand where none would: a capital or a sign amid
    small letters, a letter of another script amid Latin ones."""
    try:
        text = raw.decode(encoding)
    except UnicodeDecodeError:
        return len(raw) + 1
    letters, *pairs = letters.split()
    for pair in pairs:
        text = text.replace(pair, "oo").replace(pair.upper(), "OO")
    own = set(letters + letters.upper() + "İ" * ("ı" in letters) + _COMMON)
    latin = any("À" <= letter <= "ɏ" for letter in letters)
    wrong = 0
    for match in re.finditer(r"[^\x00-\x7f]", text):
        at = match.start()
        before, after = text[max(at - 1, 0) : at], text[at + 1 : at + 2]
        amid = before.islower() and after.islower()
        letter = match.group()
        mixed = not latin and letter.isalpha() and (before + after).isascii() and (before + after).isalpha()
        out_of_place = amid and not letter.islower() and letter not in "’‘·"
        wrong += letter not in own or out_of_place or mixed
    return wrong
