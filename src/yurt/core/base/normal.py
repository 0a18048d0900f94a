"""The standard normal distribution: its cumulative share and the inverse of it, over arrays of numbers.

Rational approximations from S. Moshier's Cephes library (`ndtr.c`, `ndtri.c`, 1984 to 2000), which SciPy uses as well;
the results are the same to the last bit. Logarithms and exponentials are Arrow's, which are those of the C library on
every processor, while NumPy's depend on the instructions that the processor has.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING

import numpy as np

from yurt.core.base import compute as pc
from yurt.core.base.arrays import arrow
from yurt.core.base.arrays import numbers as values_of

if TYPE_CHECKING:
    import pyarrow as pa
    from numpy.typing import NDArray

    Numbers = NDArray[np.float64]

# Coefficients from the highest power down. Where a list begins with 1.0, that term is not multiplied.
ERF = (
    (9.60497373987051638749e0, 9.00260197203842689217e1, 2.23200534594684319226e3, 7.00332514112805075473e3,
     5.55923013010394962768e4),
    (1.0, 3.35617141647503099647e1, 5.21357949780152679795e2, 4.59432382970980127987e3, 2.26290000613890934246e4,
     4.92673942608635921086e4),
)  # fmt: skip
ERFC_BELOW_8 = (
    (2.46196981473530512524e-10, 5.64189564831068821977e-1, 7.46321056442269912687e0, 4.86371970985681366614e1,
     1.96520832956077098242e2, 5.26445194995477358631e2, 9.34528527171957607540e2, 1.02755188689515710272e3,
     5.57535335369399327526e2),
    (1.0, 1.32281951154744992508e1, 8.67072140885989742329e1, 3.54937778887819891062e2, 9.75708501743205489753e2,
     1.82390916687909736289e3, 2.24633760818710981792e3, 1.65666309194161350182e3, 5.57535340817727675546e2),
)  # fmt: skip
ERFC_FROM_8 = (
    (5.64189583547755073984e-1, 1.27536670759978104416e0, 5.01905042251180477414e0, 6.16021097993053585195e0,
     7.40974269950448939160e0, 2.97886665372100240670e0),
    (1.0, 2.26052863220117276590e0, 9.39603524938001434673e0, 1.20489539808096656605e1, 1.70814450747565897222e1,
     9.60896809063285878198e0, 3.36907645100081516050e0),
)  # fmt: skip
MIDDLE = (
    (-5.99633501014107895267e1, 9.80010754185999661536e1, -5.66762857469070293439e1, 1.39312609387279679503e1,
     -1.23916583867381258016e0),
    (1.0, 1.95448858338141759834e0, 4.67627912898881538453e0, 8.63602421390890590575e1, -2.25462687854119370527e2,
     2.00260212380060660359e2, -8.20372256168333339912e1, 1.59056225126211695515e1, -1.18331621121330003142e0),
)  # fmt: skip
TAIL_BELOW_8 = (
    (4.05544892305962419923e0, 3.15251094599893866154e1, 5.71628192246421288162e1, 4.40805073893200834700e1,
     1.46849561928858024014e1, 2.18663306850790267539e0, -1.40256079171354495875e-1, -3.50424626827848203418e-2,
     -8.57456785154685413611e-4),
    (1.0, 1.57799883256466749731e1, 4.53907635128879210584e1, 4.13172038254672030440e1, 1.50425385692907503408e1,
     2.50464946208309415979e0, -1.42182922854787788574e-1, -3.80806407691578277194e-2, -9.33259480895457427372e-4),
)  # fmt: skip
TAIL_FROM_8 = (
    (3.23774891776946035970e0, 6.91522889068984211695e0, 3.93881025292474443415e0, 1.33303460815807542389e0,
     2.01485389549179081538e-1, 1.23716634817820021358e-2, 3.01581553508235416007e-4, 2.65806974686737550832e-6,
     6.23974539184983293730e-9),
    (1.0, 6.02427039364742014255e0, 3.67983563856160859403e0, 1.37702099489081330271e0, 2.16236993594496635890e-1,
     1.34204006088543189037e-2, 3.28014464682127739104e-4, 2.89247864745380683936e-6, 6.79019408009981274425e-9),
)  # fmt: skip
SQUARE_ROOT_OF_TWO_PI = 2.50662827463100050242
# The logarithm of the largest double.
MAXLOG = 7.09782712893383996843e2
# The middle of the inverse lies between this share and its mirror image.
EXP_MINUS_TWO = 0.13533528323661269189

Ratio = tuple[Sequence[float], Sequence[float]]


def cumulative(numbers: Numbers) -> Numbers:
    """Return the share of the distribution below each number."""
    numbers = np.asarray(numbers, np.float64)
    scaled = numbers.ravel() * np.sqrt(0.5)
    with np.errstate(invalid="ignore"):
        found = 0.5 + 0.5 * _ratio(ERF, scaled * scaled, scaled)
    at = np.flatnonzero(~(np.abs(scaled) < 1))
    if at.size:
        beyond = 0.5 * _erfc(np.abs(scaled[at]))
        found[at] = np.where(scaled[at] > 0, 1 - beyond, beyond)
    return found.reshape(numbers.shape)


def inverse(shares: Numbers) -> Numbers:
    """Return the number below which each share of the distribution lies: infinite for 0 and 1, NaN outside."""
    shares = np.asarray(shares, np.float64)
    flat = shares.ravel()
    centred = flat - 0.5
    square = centred * centred
    found = (centred + centred * _ratio(MIDDLE, square, square)) * SQUARE_ROOT_OF_TWO_PI
    upper = flat > 1 - EXP_MINUS_TWO
    at = np.flatnonzero(upper | ~(flat > EXP_MINUS_TWO))
    if at.size:
        upper, part = upper[at], flat[at]
        far = _tail(np.where(upper, 1 - part, part))
        found[at] = np.where(upper, far, -far)
    return found.reshape(shares.shape)


def _tail(shares: Numbers) -> Numbers:
    """Return how far from the middle a share of at most `EXP_MINUS_TWO` begins."""
    with np.errstate(divide="ignore", invalid="ignore"):
        size = np.sqrt(-2 * _of_library(pc.ln, shares))
        inner = 1 / size
        found = size - _of_library(pc.ln, size) / size - _by_size(TAIL_BELOW_8, TAIL_FROM_8, size, inner, inner)
    return np.where(shares == 0, np.inf, found)


def _erfc(numbers: Numbers) -> Numbers:
    """Return the complement of the error function of numbers from 1 on."""
    with np.errstate(invalid="ignore"):
        exponent = -numbers * numbers
        found = _by_size(ERFC_BELOW_8, ERFC_FROM_8, numbers, numbers, _of_library(pc.exp, exponent))
    return np.where(exponent < -MAXLOG, 0.0, found)


def _by_size(below: Ratio, from_8: Ratio, size: Numbers, numbers: Numbers, factor: Numbers) -> Numbers:
    """Return one quotient where the size is below 8, the other elsewhere, which is rarely needed."""
    found = _ratio(below, numbers, factor)
    at = np.flatnonzero(~(size < 8))
    if at.size:
        found[at] = _ratio(from_8, numbers[at], factor[at])
    return found


def _ratio(both: Ratio, numbers: Numbers, factor: Numbers) -> Numbers:
    """Return the quotient of two polynomials, the upper one times a factor, by Horner's rule."""
    above, below = (_polynomial(each, numbers) for each in both)
    above *= factor
    above /= below
    return above


def _polynomial(coefficients: Sequence[float], numbers: Numbers) -> Numbers:
    first, second, *others = coefficients
    found = numbers + second if first == 1 else first * numbers + second
    for each in others:
        found *= numbers
        found += each
    return found


def _of_library(function: Callable[[pa.Array], pa.Array], numbers: Numbers) -> Numbers:
    return values_of(function(arrow(numbers)), np.float64)
