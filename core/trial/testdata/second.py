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


def around(mid, n, variance, planned):
    half = np.sqrt(n * variance) * boundary(n, planned)
    return [mid - half, mid, mid + half]


def conversion(a, b, planned):
    x, y = (np.r_[np.ones(len(s["margins"])), np.zeros(s["visits"] - len(s["margins"]))] for s in (a, b))
    return around(y.mean() - x.mean(), len(x) + len(y), stats.sem(x) ** 2 + stats.sem(y) ** 2, planned)


def value(a, b, planned):
    """Goods per order, by the delta method with the covariance of goods and orders."""
    out, n, visits = [], 0, a["visits"] + b["visits"]
    for s in (a, b):
        g, o = np.asarray(s["goods"], dtype=np.float64), np.asarray(s["orders"], dtype=np.float64)
        r, c = g.sum() / o.sum(), np.cov(g, o)
        out.append((r, (c[0, 0] - 2 * r * c[0, 1] + r**2 * c[1, 1]) / len(g) / o.mean() ** 2))
        n += len(g)
    return around(out[1][0] - out[0][0], n, out[0][1] + out[1][1], planned * n / visits)


def returned(a, b, planned):
    na, nb = sum(a["orders"]), sum(b["orders"])
    p = (a["back"] + b["back"]) / (na + nb)
    return around(b["back"] / nb - a["back"] / na, na + nb, p * (1 - p) * (1 / na + 1 / nb), planned * (na + nb) / (a["visits"] + b["visits"]))


def plan(spread, difference, share):
    sd = np.sqrt(spread / share + spread / (1 - share))
    missing = lambda n: sd * boundary(n, n) + Z80 * sd / np.sqrt(n) - abs(difference)
    return optimize.brentq(missing, 2, 1e12, xtol=1e-6)


for line in sys.stdin:
    c = json.loads(line)
    a, b, planned = c["a"], c["b"], c["planned"]
    said = {"effect": effect(a, b), "look": look(a, b, planned), "conversion": conversion(a, b, planned)}
    said |= {"value": value(a, b, planned), "returned": returned(a, b, planned)}
    print(json.dumps(said | {"plan": plan(c["spread"], c["difference"], c["share"])}))
