"""Valid extremes of single kinds, and typical human mistakes with them, for syntax testing."""

from __future__ import annotations

from collections.abc import Callable

Step = Callable[[str], str | None]


def _behind_at(change: Callable[[str], str]) -> Step:
    """Return a change of the part behind the at sign, or of the whole text if there is none."""
    return lambda text: text.partition("@")[0] + "@" + change(text.partition("@")[2]) if "@" in text else change(text)


LONG = "b" * 64
NAMES: tuple[tuple[str, Step, str], ...] = (
    ("label over 63", _behind_at(lambda name: f"{LONG}.{name}"), "a label of a domain has at most 63 characters"),
    ("two dots", _behind_at(lambda name: name.replace(".", "..", 1)), "there is a label between two dots"),
    ("dot at the end", _behind_at(lambda name: name + "."), "a label follows every dot"),
    ("hyphen in front", _behind_at(lambda name: "-" + name), "a label begins with a letter or digit"),
    ("underscore", _behind_at(lambda name: "a_b." + name), "a label has no underscore"),
)
# By kind: a word, a text, and why it is valid.
EXTREMES: dict[str, tuple[tuple[str, str, str], ...]] = {
    "email": (
        ("shortest", "a@b.example", "one letter before the at sign"),
        ("longest local part", "a" * 64 + "@b.example", "64 characters before the at sign (RFC 5321)"),
        ("longest label", f"a@{'b' * 63}.example", "a label of 63 characters (RFC 1035)"),
        ("plus and points", "a.b+c_d-e@b-2.example", "dots, plus, underscore, and hyphen"),
    ),
    "domain": (("longest label", f"{'b' * 63}.example", "a label of 63 characters (RFC 1035)"),),
    "hostname": (("longest label", f"{'b' * 63}.example", "a label of 63 characters (RFC 1035)"),),
}
# For texts of open lists, such as names: a word, a text, and what is unusual in it. The first ones are valid; of the
# others, no rule says whether they are.
LETTERS: tuple[tuple[str, str, str], ...] = (
    ("one letter", "Y", "one letter"),
    ("hyphen", "Marie-Luise", "a hyphen"),
    ("apostrophe", "D'Arcy", "an apostrophe"),
    ("typographic apostrophe", "D\u2019Arcy", "a typographic apostrophe"),
    ("space", "van Doorn", "a space"),
    ("several words", "de la Cruz y Vega", "several words"),
    ("diacritics", "\u017dofie \u00c7a\u011flar-\u00d8rsted", "letters with marks"),
)
UNUSUAL: tuple[tuple[str, str, str], ...] = (
    ("Cyrillic", "\u041e\u043b\u044c\u0433\u0430", "letters of another script"),
    ("Greek", "\u039c\u03b1\u03c1\u03af\u03b1", "letters of another script"),
    ("Han", "\u674e\u7ea2", "letters of another script"),
    ("digits", "Anna 2", "a digit"),
    ("signs", "Anna & Ben #1!", "signs"),
    ("space in front", " Anna", "a leading space"),
    ("space behind", "Anna ", "a trailing space"),
)
# By kind: a word, a change from a valid text to an invalid one, and why it is invalid.
WRONG: dict[str, tuple[tuple[str, Step, str], ...]] = {
    "email": (
        ("no at sign", lambda text: text.replace("@", ""), "the at sign is missing"),
        ("two at signs", lambda text: text.replace("@", "@@"), "two at signs"),
        ("nothing in front", lambda text: text[text.index("@") :] if "@" in text else None, "no local part"),
        ("nothing behind", lambda text: text[: text.index("@") + 1] if "@" in text else None, "no domain"),
        ("local part over 64", lambda text: "a" * 65 + text[text.index("@") :] if "@" in text else None,
         "at most 64 characters come before the at sign"),
        ("no top level", lambda text: text.rpartition(".")[0] or None, "the domain has one label only"),
        *NAMES,
    ),
    "domain": NAMES,
    "hostname": NAMES,
    "ipv4": (
        ("octet 256", lambda text: text.rpartition(".")[0] + ".256", "the largest octet is 255"),
        ("five octets", lambda text: text + ".1", "there are four octets"),
        ("three octets", lambda text: text.rpartition(".")[0], "there are four octets"),
        ("leading zero", lambda text: text.rpartition(".")[0] + ".01", "an octet has no leading zero"),
    ),
    "ipv6": (
        ("two gaps", lambda text: text.replace(":", "::", 1)[:-2] + "::1", "two adjacent colons occur only once"),
        ("five digits", lambda text: text + "00000", "a group has four digits"),
        ("letter g", lambda text: text[:-1] + "g", "digits are 0 to 9 and a to f"),
    ),
    "tel": (
        ("no country", lambda text: text.lstrip("+"), "the plus sign is missing"),
        ("letters", lambda text: text[:-3] + "ABC", "letters in place of digits"),
        ("too long", lambda text: text + "0" * 15, "at most 15 digits (ITU-T E.164)"),
    ),
    "iban": (
        ("small letters", lambda text: text.lower(), "letters are capitals"),
        ("in groups", lambda text: " ".join(text[at : at + 4] for at in range(0, len(text), 4)), "it has no spaces"),
    ),
}  # fmt: skip
