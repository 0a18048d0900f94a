"""The shapes of the numbers that countries give to persons and companies; `verify` checks their check digits.

Marks between groups may be left out. If a country has a range that is never assigned, `reserved` is its pattern.
"""

from __future__ import annotations

from yurt.core.base.data_classes import dataclass


@dataclass(frozen=True)
class Shape:
    """The pattern of a country's numbers, that of the range that is never assigned, and what no rule checks."""

    pattern: str
    reserved: str = ""
    rest: str = ""


NOT_PUBLISHED = "the last digit, for which no rule is published"
# Denmark and Korea have assigned numbers without a check digit for some years.
NO_LONGER = "the last digit, which new numbers do not check with"
NO_DIGIT = "whether the number is given: it has no check digit"
# A month and a day of two digits.
MONTH, DAY = "(0[1-9]|1[0-2])", "(0[1-9]|[12][0-9]|3[01])"

PERSONS = {
    "AT": Shape("[1-9][0-9]{3} ?[0-9]{6}"),
    "DE": Shape("[0-9]{2} ?[0-9]{3} ?[0-9]{3} ?[0-9]{3}", "0[0-9] ?[0-9]{3} ?[0-9]{3} ?[0-9]{3}"),
    "CH": Shape("756[.]?[0-9]{4}[.]?[0-9]{4}[.]?[0-9]{2}"),
    "IT": Shape("[A-Z]{6}[0-9L-V]{2}[ABCDEHLMPRST][0-9L-V]{2}[A-Z][0-9L-V]{3}[A-Z]", "[A-Z]{6}.{5}Z9.{3}"),
    "SI": Shape(f"{DAY}{MONTH}[09][0-9]{{2}}[0-9]{{6}}"),
    "FR": Shape("[1-478] ?[0-9]{2} ?[0-9]{2} ?[0-9][0-9AB] ?[0-9]{3} ?[0-9]{3} ?[0-9]{2}"),
    "GB": Shape("[0-9]{3} ?[0-9]{3} ?[0-9]{4}", "999 ?[0-9]{3} ?[0-9]{4}"),
    "IE": Shape("[0-9]{7}[A-W][A-IW]?"),
    "ES": Shape("([0-9]|[XYZ])[0-9]{7}[A-Z]"),
    "PT": Shape("[0-9]{9}"),
    "NL": Shape("[0-9]{9}", "9[0-9]{8}"),
    "PL": Shape("[0-9]{11}"),
    "CZ": Shape("[0-9]{6}/?[0-9]{3,4}"),
    "SE": Shape("([0-9]{2})?[0-9]{6}[-+]?[0-9]{4}", "([0-9]{2})?[0-9]{6}[-+]?9[89][0-9]{2}"),
    "NO": Shape("[0-9]{11}", f"{DAY}(8[1-9]|9[0-2])[0-9]{{7}}"),
    "DK": Shape(f"{DAY}{MONTH}[0-9]{{2}}-?[0-9]{{4}}", rest=NO_LONGER),
    "FI": Shape(
        f"{DAY}{MONTH}[0-9]{{2}}[-+A-FU-Y][0-9]{{3}}[0-9A-Y]", f"{DAY}{MONTH}[0-9]{{2}}[-+A-FU-Y]9[0-9]{{2}}[0-9A-Y]"
    ),
    "TR": Shape("[1-9][0-9]{10}"),
    "GR": Shape(f"{DAY}{MONTH}[0-9]{{7}}"),
    "UA": Shape("[0-9]{10}"),
    "CA": Shape("[0-9]{3}[ -]?[0-9]{3}[ -]?[0-9]{3}", "0[0-9]{2}[ -]?[0-9]{3}[ -]?[0-9]{3}"),
    "US": Shape("[0-8][0-9]{2}-?[0-9]{2}-?[0-9]{4}", "666-?[0-9]{2}-?[0-9]{4}", NO_DIGIT),
    "IN": Shape("[1-9][0-9]{3} ?[0-9]{4} ?[0-9]{4}", "1[0-9]{3} ?[0-9]{4} ?[0-9]{4}"),
    "AU": Shape("[0-9]{3} ?[0-9]{3} ?[0-9]{3}"),
    "MX": Shape(f"[A-ZÑ]{{4}}[0-9]{{2}}{MONTH}{DAY}[HMX][A-Z]{{5}}[0-9A-Z][0-9]"),
    "BR": Shape("[0-9]{3}[.]?[0-9]{3}[.]?[0-9]{3}-?[0-9]{2}"),
    "JP": Shape("[0-9]{12}"),
    "CN": Shape(f"[1-9][0-9]{{5}}[0-9]{{4}}{MONTH}{DAY}[0-9]{{3}}[0-9X]"),
    "KR": Shape(f"[0-9]{{2}}{MONTH}{DAY}-?[0-9]{{7}}", rest=NO_LONGER),
    "EG": Shape(f"[23][0-9]{{2}}{MONTH}{DAY}[0-9]{{7}}", rest=NOT_PUBLISHED),
}
COMPANIES = {
    "AT": Shape("ATU[0-9]{8}"),
    "DE": Shape("DE[1-9][0-9]{8}"),
    "CH": Shape("CHE-?[0-9]{3}[.]?[0-9]{3}[.]?[0-9]{3} ?(MWST|TVA|IVA)"),
    "IT": Shape("IT[0-9]{11}"),
    "SI": Shape("SI[1-9][0-9]{7}"),
    "FR": Shape("FR[0-9]{11}"),
    "CA": Shape("[0-9]{9}(RT[0-9]{4})?"),
    "US": Shape("[0-9]{2}-?[0-9]{7}", rest=NO_DIGIT),
    "GB": Shape("GB[0-9]{9}([0-9]{3})?"),
    "IN": Shape("[0-9]{2}[A-Z]{5}[0-9]{4}[A-Z][0-9A-Z]Z[0-9A-Z]"),
    "AU": Shape("[0-9]{2} ?[0-9]{3} ?[0-9]{3} ?[0-9]{3}"),
    "IE": Shape("IE[0-9]{7}[A-W][A-IW]?"),
    "ES": Shape("ES[A-HJ-NP-SUVW][0-9]{7}[0-9A-J]"),
    "MX": Shape(f"[A-Z&Ñ]{{3}}[0-9]{{2}}{MONTH}{DAY}[0-9A-Z]{{2}}[0-9A]"),
    "BR": Shape("[0-9]{2}[.]?[0-9]{3}[.]?[0-9]{3}/?[0-9]{4}-?[0-9]{2}"),
    "PT": Shape("PT[0-9]{9}"),
    "NL": Shape("NL[0-9]{9}B[0-9]{2}"),
    "PL": Shape("PL[0-9]{10}"),
    "CZ": Shape("CZ[0-9]{8}"),
    "SE": Shape("SE[0-9]{10}01"),
    "NO": Shape("[0-9]{3} ?[0-9]{3} ?[0-9]{3} ?MVA"),
    "DK": Shape("DK[1-9][0-9]{7}"),
    "FI": Shape("FI[0-9]{8}"),
    "TR": Shape("[0-9]{10}"),
    "GR": Shape("EL[0-9]{9}"),
    "UA": Shape("[0-9]{8}"),
    "JP": Shape("[1-9][0-9]{12}"),
    "CN": Shape("[0-9A-HJ-NPQRTUWXY]{18}"),
    "KR": Shape("[0-9]{3}-?[0-9]{2}-?[0-9]{5}"),
    "EG": Shape("[0-9]{3}-?[0-9]{3}-?[0-9]{3}", rest=NO_DIGIT),
}
