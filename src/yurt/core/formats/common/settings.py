"""The settings of a format: each with its meaning, its default, what is allowed, and an example."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from yurt.core.base.data_classes import dataclass, field
from yurt.core.base.errors import UsageFault
from yurt.core.base.nearest import did_you_mean


@dataclass(frozen=True)
class Setting:
    """One setting. With `words`, the value is one of them; `wrong` returns what is wrong with any other text.

    Each of the words may stand for a set of values of other settings, in `sets`.
    """

    name: str
    meaning: str
    default: str
    example: str
    words: tuple[str, ...] = ()
    wrong: Callable[[str], str] = lambda value: ""
    sets: Mapping[str, Mapping[str, str]] = field(default_factory=dict)

    @property
    def allowed(self) -> str:
        """What is allowed, in words."""
        return " | ".join(self.words) if self.words else "a text"


FLAG = ("true", "false")
Chosen = Mapping[str, str]


def complete(name: str, settings: tuple[Setting, ...], chosen: Chosen) -> dict[str, str]:
    """Return a value for each setting of a format.

    Raises UsageFault for a setting that the format does not have, and for a value that is not allowed.
    """
    known = {each.name: each for each in settings}
    found = {each.name: each.default for each in settings}
    for each, value in chosen.items():
        if each not in known:
            told = f"`{name}` has no setting `{each}`"
            listed = ", ".join(known) or "it has none"
            raise UsageFault(f"{told}; {did_you_mean(each, known) or listed}; `yurt formats {name}` describes them")
        setting = known[each]
        if setting.words and value not in setting.words:
            hint = did_you_mean(value, setting.words)
            raise UsageFault(
                f"`{value}` is not possible for `{each}` of `{name}`: {setting.allowed}" + (f"; {hint}" if hint else "")
            )
        if wrong := setting.wrong(value):
            raise UsageFault(f"`{value}` is not possible for `{each}` of `{name}`: {wrong}")
        found[each] = value
    for setting in settings:
        chosen_set = setting.sets.get(found[setting.name], {})
        found |= {each: value for each, value in chosen_set.items() if each not in chosen}
    return found
