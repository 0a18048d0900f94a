"""The behaviour of a bad day: chosen status codes, delays, failures, bodies that are cut off, rate limits, cases.

A rule is a mapping with `for` (a method and a path) and what happens; a request says the same by `?bad-day=…`.
"""

from __future__ import annotations

import re
from collections import deque
from collections.abc import Callable, Mapping
from fnmatch import fnmatchcase
from http import HTTPStatus
from pathlib import Path
from time import monotonic
from typing import Any

import numpy as np

from yurt.core.base.data_classes import dataclass, field
from yurt.core.base.errors import SurroundingsFault, UsageFault, YurtError
from yurt.core.base.nearest import did_you_mean
from yurt.core.engine.blocks import block
from yurt.core.engine.run import Run, RunOptions
from yurt.core.language.reader import read_fields
from yurt.core.sampling.streams import stream
from yurt.core.source.diagnostics import SchemaFault

WORDS = ("for", "share", "status", "delay", "cut", "limit", "case")
INSTRUCTIONS = ("status", "delay", "cut", "case")
LARGEST_FILE, MOST_RULES = 1 << 18, 200
LONGEST_DELAY = 60.0
METHODS = ("GET", "HEAD", "POST", "PUT", "PATCH", "DELETE", "OPTIONS", "*")
# The delays that are drawn at once, and the draws before they begin again.
DRAWN = 1024
# A request says what to do in a few characters.
LONGEST, KEPT = 200, 256


@dataclass(frozen=True)
class Effect:
    """What happens to one request: nothing, unless something is set."""

    status: int | None = None
    delay: float = 0.0
    # The share of the body that is sent.
    cut: float | None = None
    # The id of a case that is sent instead of a record, or `next`.
    case: str | None = None
    # After how many seconds a client that asks too often may ask again.
    retry_after: int | None = None

    def also(self, other: Effect) -> Effect:
        """Return both effects together; this one counts where both say something."""
        return Effect(
            self.status if self.status is not None else other.status, self.delay + other.delay,
            self.cut if self.cut is not None else other.cut, self.case if self.case is not None else other.case,
            self.retry_after if self.retry_after is not None else other.retry_after,
        )  # fmt: skip


class Delays:
    """Delays drawn from a line of the schema language, such as `20ms..400ms, usually low`."""

    def __init__(self, told: str, seed: int) -> None:
        text = told.strip()
        if re.fullmatch(r"\d{1,6}(\.\d{1,3})?(ms|s)", text):
            text = f"{text}..{text}"
        # Steps of a millisecond, unless the line has its own.
        line = text if " step " in text else re.sub(r"^([^\s,]+\.\.[^\s,]+)", r"\1 step 1ms", text)
        try:
            schema, _ = read_fields([f"delay: duration {line}"])
            self.run = Run(schema, RunOptions(seed, None, 10**9))
        except (SchemaFault, YurtError) as fault:
            wrong = fault.diagnostics[0].message if isinstance(fault, SchemaFault) else str(fault)
            raise UsageFault(f"`{told}` is not a delay: {wrong}; write 200ms, or 20ms..2s, usually low") from None
        self.drawn: list[float] = []
        self.at = 0

    def next(self) -> float:
        """Return the next delay in seconds."""
        if self.at % DRAWN == 0:
            batch = block(self.run, "record", self.at, self.at + DRAWN)
            self.drawn = [each.total_seconds() for each in batch.column(0).to_pylist()]
        self.at += 1
        return min(self.drawn[(self.at - 1) % DRAWN], LONGEST_DELAY)


@dataclass
class Limit:
    """At most so many requests of a client in so many seconds."""

    most: int
    seconds: float
    clients: dict[str, deque[float]] = field(default_factory=dict)

    def retry_after(self, client: str) -> int | None:
        """Count a request; return after how many seconds the client may ask again, None if it may now."""
        now = monotonic()
        times = self.clients.setdefault(client, deque())
        while times and times[0] <= now - self.seconds:
            times.popleft()
        if len(self.clients) > 10_000:
            self.clients = {name: each for name, each in self.clients.items() if each}
        if len(times) < self.most:
            times.append(now)
            return None
        return max(1, round(times[0] + self.seconds - now + 0.5))


@dataclass
class Rule:
    """What happens to a share of the requests for some paths."""

    method: str
    path: str
    share: float = 1.0
    effect: Effect = field(default_factory=Effect)
    delays: Delays | None = None
    limit: Limit | None = None
    draw: Callable[[int], float] = lambda number: 0.0
    seen: int = 0

    def of(self, method: str, path: str, client: str) -> Effect | None:
        """Return what happens to a request; None if the rule is not about it."""
        own = self.method in ("*", method) or (self.method == "GET" and method == "HEAD")
        if not own or not fnmatchcase(path, self.path):
            return None
        self.seen += 1
        if self.share < 1 and self.draw(self.seen) >= self.share:
            return None
        after = self.limit.retry_after(client) if self.limit is not None else None
        if self.limit is not None and after is None:
            return None
        delay = self.delays.next() if self.delays is not None else 0.0
        return Effect(self.effect.status, delay, self.effect.cut, self.effect.case, after)


class Behaviour:
    """The rules, in their order: several may apply to a request."""

    def __init__(self, rules: list[Rule], seed: int) -> None:
        self.rules, self.seed = rules, seed
        # The delays that requests have told.
        self._delays: dict[str, Delays] = {}

    def effect(self, method: str, path: str, client: str, told: tuple[str, ...] = ()) -> Effect:
        """Return what happens to a request. Raises UsageFault for an instruction that is none."""
        found = Effect()
        for each in told:
            found = found.also(self._told(each))
        for rule in self.rules:
            if (effect := rule.of(method, path, client)) is not None:
                found = found.also(effect)
        return found

    def _told(self, told: str) -> Effect:
        """Return the effect of an instruction in a request."""
        word, _, rest = told.strip().partition(" ")
        if word not in INSTRUCTIONS or len(told) > LONGEST:
            hint = did_you_mean(word, INSTRUCTIONS) or "write status 503, delay 200ms, cut 50%, or case next"
            raise UsageFault(f"`bad-day={told[:40]}`: `{word[:20]}` is no behaviour; {hint}")
        if word == "delay":
            if rest not in self._delays:
                self._delays = {rest: Delays(rest, self.seed)} | (self._delays if len(self._delays) < KEPT else {})
            return Effect(delay=self._delays[rest].next())
        return _effect({word: rest})


def read_rules(path: Path, seed: int) -> Behaviour:
    """Return the rules of a file. Raises UsageFault with the place of what is wrong."""
    import yaml

    try:
        if path.stat().st_size > LARGEST_FILE:
            raise UsageFault(f"{path} is larger than {LARGEST_FILE:,} bytes")
        found = yaml.safe_load(path.read_text("utf-8"))
    except FileNotFoundError:
        raise UsageFault(f"there is no file {path}") from None
    except OSError as error:
        raise SurroundingsFault(f"{path}: {(error.strerror or str(error)).lower()}") from None
    except (yaml.YAMLError, UnicodeDecodeError, RecursionError) as fault:
        place = getattr(fault, "problem_mark", None)
        line = f":{place.line + 1}:{place.column + 1}" if place is not None else ""
        raise UsageFault(f"{path}{line}: this is not YAML") from None
    rules = found.get("behaviour") if isinstance(found, dict) else None
    if not isinstance(rules, list) or len(rules) > MOST_RULES:
        raise UsageFault(f"{path}: expected `behaviour:` with a list of at most {MOST_RULES} rules")
    return Behaviour([_rule(each, seed, at, f"{path}, rule {at}") for at, each in enumerate(rules, 1)], seed)


def _rule(told: Any, seed: int, at: int, where: str) -> Rule:
    if not isinstance(told, dict):
        raise UsageFault(f"{where}: expected a mapping with `for` and what happens")
    for word in told:
        if word not in WORDS:
            hint = did_you_mean(str(word), WORDS) or f"the words are {', '.join(WORDS)}"
            raise UsageFault(f"{where}: `{word}` is no word of a rule; {hint}")
    method, path = _place(told.get("for"), where)
    try:
        share = _share(told["share"]) if "share" in told else 1.0
        rule = Rule(method, path, share, _effect(told))
        rule.delays = Delays(str(told["delay"]), seed + at) if "delay" in told else None
        rule.limit = _limit(str(told["limit"])) if "limit" in told else None
    except UsageFault as fault:
        raise UsageFault(f"{where}: {fault}") from None
    if not set(told) & {"status", "delay", "cut", "limit", "case"}:
        raise UsageFault(f"{where}: nothing happens; add status, delay, cut, limit, or case")
    source = stream(seed, "behaviour", at)
    rule.draw = lambda number: float(source.unit(np.array([number], dtype=np.uint64))[0])
    return rule


def _place(told: Any, where: str) -> tuple[str, str]:
    method, _, path = str(told or "").strip().rpartition(" ")
    method = method.strip() or "*"
    path = "/*" if path == "*" else path
    if method not in METHODS or not path.startswith("/"):
        raise UsageFault(f"{where}: `for: {told}` is no place; write for: GET /hut/*, or for: '*'")
    return method, path


def _effect(told: Mapping[str, Any]) -> Effect:
    """Return what a rule or an instruction does, except for delays and limits."""
    status = None
    if "status" in told:
        number = str(told["status"]).strip()
        known = [each.value for each in HTTPStatus if each.value >= 200]
        if not number.isdecimal() or len(number) > 3 or int(number) not in known:
            raise UsageFault(f"`status {number}` is no status code that an answer can have")
        status = int(number)
    cut = _share(told["cut"]) if "cut" in told else None
    return Effect(status, 0.0, cut, str(told["case"]).strip() if "case" in told else None)


def _share(told: Any) -> float:
    found = re.fullmatch(r"(\d{1,3}(?:\.\d{1,4})?)%", str(told).strip())
    if found is None or float(found[1]) > 100:
        raise UsageFault(f"`{told}` is not a share; write it like 10%")
    return float(found[1]) / 100


def _limit(told: str) -> Limit:
    found = re.fullmatch(r"\s*(\d{1,6}) per (\d{1,4})?\s?(s|min|h)\s*", told)
    if found is None or not int(found[1]):
        raise UsageFault(f"`{told}` is not a limit; write it like 20 per 10s, or 100 per min")
    return Limit(int(found[1]), int(found[2] or 1) * {"s": 1, "min": 60, "h": 3600}[found[3]])
