"""A second computation of intervals and plans, with SciPy: cases as JSON lines come in, answers
as JSON lines go out. It shares nothing with the first but the formulas of the documentation."""

import json
import sys

import numpy as np
from scipy import optimize, stats

ALPHA = 0.05
Z80 = stats.norm.ppf(0.8)


def margins(visits):
    """Per-visit margins, those without an order included."""
    return np.concatenate([np.asarray(visits["margins"], dtype=np.float64), np.zeros(visits["visits"] - len(visits["margins"]))])


def boundary(n, planned):
    level = -2 * np.log(ALPHA)
    rho2 = (level + np.log(level) + 1) / planned
    return np.sqrt(2 * (n * rho2 + 1) / (n**2 * rho2) * np.log(np.sqrt(n * rho2 + 1) / ALPHA))


def effect(a, b):
    """What b earned against a that was kept from it, with its 90 % interval."""
    x, y = margins(a), margins(b)
    se = np.sqrt(stats.sem(x) ** 2 + stats.sem(y) ** 2)
    mid = y.mean() - x.mean()
    low, high = stats.norm.interval(0.9, loc=mid, scale=se)
    return [v * len(y) for v in (low, mid, high)]


def look(a, b, planned):
    x, y = margins(a), margins(b)
    n = len(x) + len(y)
    variance = x.var(ddof=1) / len(x) + y.var(ddof=1) / len(y)
    mid = y.mean() - x.mean()
    half = np.sqrt(n * variance) * boundary(n, planned)
    return [mid - half, mid, mid + half]


def plan(spread, difference, share):
    sd = np.sqrt(spread / share + spread / (1 - share))
    missing = lambda n: sd * boundary(n, n) + Z80 * sd / np.sqrt(n) - abs(difference)
    return optimize.brentq(missing, 2, 1e12, xtol=1e-6)


for line in sys.stdin:
    c = json.loads(line)
    print(json.dumps({"effect": effect(c["a"], c["b"]), "look": look(c["a"], c["b"], c["planned"]), "plan": plan(c["spread"], c["difference"], c["share"])}))
