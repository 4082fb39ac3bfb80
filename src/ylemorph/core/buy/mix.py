"""The least-price choice of disks for many machines, exact, stock counted.

Machines that the same disks suit are one group; what remains is a flow of least cost from the groups to the disks,
whose answer in whole numbers is exact. A machine that nothing suits, or that stock leaves out, is said, never dropped.
"""

from collections import Counter
from collections.abc import Hashable, Mapping, Sequence
from typing import NamedTuple

Group = frozenset[int]


class Mix(NamedTuple):
    """``counts``: how many of each disk by its place; ``prices``: what those cost together, in hundredths; ``chosen``:
    the disk of each machine, None where none is left."""

    counts: dict[int, int]
    prices: dict[int, int]
    chosen: dict[Hashable, int | None]

    @property
    def total(self) -> int:
        return sum(self.prices.values())

    @property
    def left_out(self) -> list[Hashable]:
        return [machine for machine, disk in self.chosen.items() if disk is None]


def least_mix(able: Mapping[Hashable, Group], prices: Sequence[int], stock: Sequence[int | None]) -> Mix:
    """``able``: the places of the disks that do for each machine. As many machines as can be, then the least price."""
    groups = Counter(able.values())
    flows = _flows(groups, prices, stock) if groups else {}
    chosen: dict[Hashable, int | None] = {}
    for machine, group in able.items():
        left = flows.get(group, {})
        disk = next((place for place in sorted(left, key=lambda p: (prices[p], p)) if left[place]), None)
        if disk is not None:
            left[disk] -= 1
        chosen[machine] = disk
    counts = Counter(disk for disk in chosen.values() if disk is not None)
    return Mix(dict(sorted(counts.items())), {disk: prices[disk] * count for disk, count in counts.items()}, chosen)


def _flows(
    groups: Mapping[Group, int], prices: Sequence[int], stock: Sequence[int | None]
) -> dict[Group, dict[int, int]]:
    import networkx as nx

    graph: nx.DiGraph[object] = nx.DiGraph()
    everybody = sum(groups.values())
    for number, (group, count) in enumerate(groups.items()):
        graph.add_edge("all", ("group", number), capacity=count, weight=0)
        for place in group:
            graph.add_edge(("group", number), ("disk", place), capacity=count, weight=prices[place])
    for place, pieces in enumerate(stock):
        graph.add_edge(("disk", place), "done", capacity=everybody if pieces is None else pieces, weight=0)
    flow = nx.max_flow_min_cost(graph, "all", "done")
    return {
        group: {place: flow["group", number].get(("disk", place), 0) for place in group}
        for number, group in enumerate(groups)
    }
