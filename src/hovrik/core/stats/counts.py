"""How often something went wrong: exact intervals of k of n, and whether two such shares differ."""

from __future__ import annotations


def share_interval(k: int, n: int, sure: float = 0.95) -> tuple[float, float]:
    """Exact interval of a share from k of n (Clopper and Pearson 1934); (0, 1) where n is 0."""
    from scipy.special import betaincinv

    if n == 0:
        return 0.0, 1.0
    tail = (1.0 - sure) / 2.0
    low = float(betaincinv(k, n - k + 1, tail)) if k else 0.0
    high = float(betaincinv(k + 1, n - k, 1.0 - tail)) if k < n else 1.0
    return low, high


def same_share_p(k: int, n: int, other_k: int, other_n: int) -> float:
    """p of no difference between k of n and other_k of other_n, by Fisher's exact test; 1 where either n is 0."""
    from scipy.stats import fisher_exact

    if n == 0 or other_n == 0:
        return 1.0
    return float(fisher_exact([[k, n - k], [other_k, other_n - other_k]]).pvalue)


def a_minute(count: int, minutes: float) -> tuple[float, float, float]:
    """Events a minute with the exact 95 % interval of their rate (Garwood 1936)."""
    from scipy.special import gammaincinv

    low = float(gammaincinv(count, 0.025)) if count else 0.0
    return count / minutes, low / minutes, float(gammaincinv(count + 1, 0.975)) / minutes
