"""Reads a regular expression into a tree.

The syntax is what the common engines share: literals, `.`, classes, groups, `|`, `? * + {n,m}`, `\\d \\w \\s` and their
negations. `^` and `$` at the ends change nothing, since a pattern always stands for the whole text. What no finite set
of texts can follow (look-around, back-references, word boundaries) is refused with its place.

An unbounded repeat stops at `UNBOUNDED` more than its least number. `.` and negated classes draw from printable ASCII.
"""

from __future__ import annotations

import string
from functools import lru_cache

from yurt.core.base.nearest import did_you_mean
from yurt.core.patterns.charsets import POSIX, PRINTABLE, charset, scripts
from yurt.core.patterns.tree import Characters, Options, Pattern, Repeat, Series, Tree, longest, weight

UNBOUNDED = 8
MAX_LENGTH = 10_000
MAX_DEPTH = 60
# Repeats of the same part, as in `a{2}{3}`.
MAX_REPEATS = 2
# The number of parts of a pattern after its repeats are expanded.
MAX_WEIGHT = 5_000

DIGITS = string.digits
WORD = string.ascii_uppercase + string.ascii_lowercase + string.digits + "_"
CONTROLS = {"t": "\t", "n": "\n", "r": "\r", "f": "\f", "v": "\v"}
CLASSES = {"d": DIGITS, "w": WORD, "s": " "}


class PatternFault(ValueError):
    """A regular expression that cannot be used; `at` is the offset of the fault in it."""

    def __init__(self, message: str, at: int) -> None:
        super().__init__(message)
        self.at = at


@lru_cache(maxsize=512)
def parse(source: str) -> Pattern:
    """Return the pattern of a regular expression (without the slashes around it), or raise PatternFault."""
    reader = _Reader(source)
    tree = reader.options(0)
    if reader.at < len(source):
        raise PatternFault("a closing parenthesis without an opening one", reader.at)
    if longest(tree) > MAX_LENGTH:
        raise PatternFault(f"it matches texts of more than {MAX_LENGTH:,} characters", 0)
    if weight(tree) > MAX_WEIGHT:
        raise PatternFault(f"it is too large: {weight(tree):,} parts after all repeats are expanded", 0)
    return Pattern(source, tree)


class _Reader:
    """Recursive descent over the characters of the source."""

    def __init__(self, source: str) -> None:
        self.source = source
        self.at = 0
        # The contents of a negated class.
        self.negated = False

    def peek(self, ahead: int = 1) -> str:
        return self.source[self.at : self.at + ahead]

    def take(self, expected: str) -> bool:
        if self.source.startswith(expected, self.at):
            self.at += len(expected)
            return True
        return False

    def options(self, depth: int) -> Tree:
        if depth > MAX_DEPTH:
            raise PatternFault("groups are nested too deeply", self.at)
        found = [self.series(depth)]
        while self.take("|"):
            found.append(self.series(depth))
        return found[0] if len(found) == 1 else Options(tuple(found))

    def series(self, depth: int) -> Tree:
        parts: list[Tree] = []
        while self.peek() not in ("", "|", ")"):
            if self.anchor(depth):
                continue
            parts.append(self.repeats(self.atom(depth)))
        return parts[0] if len(parts) == 1 else Series(tuple(parts))

    def anchor(self, depth: int) -> bool:
        """Skip `^` at the start and `$` at the end, where they have no effect; refuse them elsewhere."""
        if self.peek() == "^":
            if self.at != 0 and (depth > 0 or self.source[self.at - 1] != "|"):
                raise PatternFault("`^` is only possible at the start", self.at)
        elif self.peek() == "$":
            follows = self.source[self.at + 1 : self.at + 2]
            if follows and (depth > 0 or follows != "|"):
                raise PatternFault("`$` is only possible at the end", self.at)
        else:
            return False
        self.at += 1
        return True

    def atom(self, depth: int) -> Tree:
        start = self.at
        if self.take("("):
            return self.group(start, depth)
        if self.take("["):
            return self.character_class(start)
        if self.take("."):
            return Characters(PRINTABLE, but="\n")
        if self.take("\\"):
            return Characters(self.escape(start))
        if self.peek() in ("*", "+", "?"):
            raise PatternFault(f"`{self.peek()}` has nothing to repeat", start)
        self.at += 1
        return Characters(self.source[start])

    def group(self, start: int, depth: int) -> Tree:
        if self.take("?"):
            self.group_sort(start)
        inside = self.options(depth + 1)
        if not self.take(")"):
            raise PatternFault("a parenthesis that is never closed", start)
        return inside

    def group_sort(self, start: int) -> None:
        if self.take(":"):
            return
        if self.peek() in ("=", "!") or self.peek(2) in ("<=", "<!"):
            raise PatternFault("look-around is not supported", start)
        if self.take("P<") or self.take("<"):
            close = self.source.find(">", self.at)
            if close < 0:
                raise PatternFault("a group name that is never closed", start)
            self.at = close + 1
            return
        if self.peek(2) == "P=":
            raise PatternFault("a back-reference is not supported", start)
        raise PatternFault("flags inside a pattern are not supported", start)

    def escape(self, start: int) -> str:
        """Read what follows a backslash; return the characters it stands for."""
        char = self.peek()
        if not char:
            raise PatternFault("a backslash at the end", start)
        self.at += 1
        if char in CLASSES:
            return "".join(sorted(CLASSES[char]))
        if char.lower() in CLASSES:
            return "".join(each for each in PRINTABLE if each not in CLASSES[char.lower()])
        if char in CONTROLS:
            return CONTROLS[char]
        if char == "p":
            return self.script(start)
        if char in "xu":
            return self.code_point(start, 2 if char == "x" else 4)
        if char in "123456789k":
            raise PatternFault("a back-reference is not supported", start)
        if char in "bBAZzG":
            raise PatternFault(f"`\\{char}` is not supported; a pattern stands for the whole text", start)
        if char.isalnum():
            raise PatternFault(f"`\\{char}` is not a known escape", start)
        return char

    def code_point(self, start: int, digits: int) -> str:
        code = self.peek(digits)
        if len(code) < digits or any(each not in string.hexdigits for each in code):
            raise PatternFault(f"{digits} hexadecimal digits are missing", start)
        self.at += digits
        if (int(code, 16) == 0 and not self.negated) or 0xD800 <= int(code, 16) < 0xE000:
            raise PatternFault("a null or a lone surrogate cannot be part of a text", start)
        return chr(int(code, 16))

    def character_class(self, start: int) -> Tree:
        # Null characters are never part of a text.
        self.negated = negated = self.take("^")
        members: set[str] = set()
        first = True
        while first or self.peek() != "]":
            if not self.peek():
                raise PatternFault("a character class that is never closed", start)
            first = False
            if self.peek(2) == "[:":
                members.update(self.posix_class())
                continue
            low_at = self.at
            low = self.class_member()
            if self.peek() == "-" and self.peek(2) not in ("-]", "-"):
                self.at += 1
                high = self.class_member()
                if len(low) != 1 or len(high) != 1 or low > high:
                    raise PatternFault("a range that runs backwards or has a class at its end", low_at)
                members.update(map(chr, range(ord(low), ord(high) + 1)))
            else:
                members.update(low)
        self.at += 1
        self.negated = False
        chosen = [each for each in PRINTABLE if each not in members] if negated else sorted(members)
        if not chosen:
            raise PatternFault("a character class that leaves no character", start)
        return Characters("".join(chosen), but="".join(sorted(members)) if negated else None)

    def posix_class(self) -> str:
        """Read a class name inside brackets: `[:upper:]`."""
        start = self.at
        close = self.source.find(":]", start)
        name = self.source[start + 2 : close] if close > 0 else ""
        if name not in POSIX:
            raise PatternFault(f"`{name[:20]}` is not a POSIX class; they are " + ", ".join(POSIX), start)
        self.at = close + 2
        return POSIX[name]

    def script(self, start: int) -> str:
        r"""Read the name of a script in braces after `\p`."""
        close = self.source.find("}", self.at)
        name = self.source[self.at + 1 : close] if self.peek() == "{" and close > 0 else ""
        chars = charset(name) if name in scripts() else None
        if chars is None:
            hint = did_you_mean(name[:40], scripts())
            raise PatternFault(f"`{name[:40]}` is not a script of Unicode" + (f"; {hint}" if hint else ""), start)
        self.at = close + 1
        return chars

    def class_member(self) -> str:
        start = self.at
        if self.take("\\"):
            return self.escape(start)
        self.at += 1
        return self.source[start : start + 1]

    def repeats(self, part: Tree) -> Tree:
        """Read the repeats that follow an atom; a `?` or `+` behind one (lazy, possessive) changes no text."""
        for _ in range(MAX_REPEATS):
            start = self.at
            if self.take("?"):
                low, high = 0, 1
            elif self.take("*"):
                low, high = 0, UNBOUNDED
            elif self.take("+"):
                low, high = 1, 1 + UNBOUNDED
            elif self.peek() == "{":
                low, high = self.bounds()
            else:
                return part
            if not self.take("?"):
                self.take("+")
            if high > MAX_LENGTH:
                raise PatternFault(f"it repeats more than {MAX_LENGTH:,} times", start)
            endless = self.source[start] in "*+" or ",}" in self.source[start : self.at]
            part = Repeat(part, low, high, endless)
        if self.peek() and self.peek() in "?*+{":
            raise PatternFault(f"more than {MAX_REPEATS} repeats in a row", self.at)
        return part

    def bounds(self) -> tuple[int, int]:
        start = self.at
        close = self.source.find("}", start)
        low, comma, high = self.source[start + 1 : close].partition(",") if close > 0 else ("", "", "")
        if not low.isdecimal() or (high and not high.isdecimal()) or len(low + high) > 12:
            raise PatternFault("a repeat is written {3}, {2,5} or {2,}; for a brace itself write \\{", start)
        self.at = close + 1
        least = int(low)
        most = int(high) if high else least + UNBOUNDED if comma else least
        if most < least:
            raise PatternFault("a repeat whose end is below its start", start)
        return least, most
