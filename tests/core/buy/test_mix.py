"""The least-price mix against every choice there is, and against a mixed-integer program."""

import itertools
import random

import numpy as np
import pytest
from scipy.optimize import Bounds, LinearConstraint, milp

from ylemorph.core.buy.mix import least_mix


def random_case(rnd, machines, disks):
    prices = [rnd.randrange(1, 60) for _ in range(disks)]
    stock = [rnd.choice((None, 0, 1, 2, machines // 2)) for _ in range(disks)]
    able = {f"m{n}": frozenset(rnd.sample(range(disks), rnd.randrange(0, disks + 1))) for n in range(machines)}
    return able, prices, stock


def by_trying(able, prices, stock):
    """Most machines served, then the least price, of all choices."""
    best = (0, 0)
    for choice in itertools.product(*[[None, *sorted(group)] for group in able.values()]):
        taken = [choice.count(disk) for disk in range(len(prices))]
        if all(have is None or have >= n for n, have in zip(taken, stock, strict=True)):
            served = sum(disk is not None for disk in choice)
            best = min(best, (-served, sum(prices[disk] for disk in choice if disk is not None)))
    return best


@pytest.mark.parametrize("seed", range(60))
def test_small_cases_against_every_choice(seed):
    able, prices, stock = random_case(random.Random(seed), 5, 3)
    made = least_mix(able, prices, stock)
    served = len(able) - len(made.left_out)
    assert (-served, made.total) == by_trying(able, prices, stock)
    for machine, disk in made.chosen.items():
        assert disk is None or disk in able[machine]


@pytest.mark.parametrize("seed", range(12))
def test_larger_cases_against_a_mixed_integer_program(seed):
    """scipy.optimize.milp (HiGHS): one variable a machine and disk; serving one more outweighs every price."""
    rnd = random.Random(seed)
    able, prices, stock = random_case(rnd, 60, 6)
    machines, worth = list(able), 10_000
    pairs = [(m, d) for m in machines for d in sorted(able[m])]
    cost = [prices[d] - worth for _, d in pairs]
    rows = [[float(pair[0] == m) for pair in pairs] for m in machines]
    limits = [(d, have) for d, have in enumerate(stock) if have is not None]
    rows += [[float(pair[1] == d) for pair in pairs] for d, _ in limits]
    upper = [1.0] * len(machines) + [float(have) for _, have in limits]
    found = milp(cost, constraints=LinearConstraint(np.array(rows), -np.inf, upper),
                 integrality=np.ones(len(pairs)), bounds=Bounds(0, 1))  # fmt: skip
    made = least_mix(able, prices, stock)
    served = len(machines) - len(made.left_out)
    assert made.total - worth * served == round(found.fun)


def test_by_hand():
    """Three machines, two take the small disk; one small in stock at 40, large ones at 70: 40 + 70 + 70."""
    able = {"a": frozenset((0, 1)), "b": frozenset((0, 1)), "c": frozenset((1,)), "d": frozenset()}
    made = least_mix(able, [40_00, 70_00], [1, None])
    assert (made.counts, made.total, made.left_out) == ({0: 1, 1: 2}, 180_00, ["d"])
    assert least_mix({}, [], []).total == 0
