"""Which rows to leave behind together (rule 8.4): the set that frees enough and loses the least, found exactly.

The question is a knapsack turned round: rows free grains and lose bytes, ``needed`` grains must be freed, and the sum
of what is lost must be least. Branch and bound answers it:

- Rows are put in order of what they lose for each grain that they free, the cheapest first.
- From each place two branches part: with this row, and without it. The one with it is looked at first, so that a
  complete set is known early.
- A branch ends where it frees enough (its loss is a new least, or it is forgotten), and is cut off where even its
  *bound* is no less than the least so far. The bound lets the rows that are left be taken whole in their order and the
  last one in part: no set of them can lose less, since a cheaper grain is never passed over for a dearer one. It is
  compared by multiplication, so that no part is rounded.

Kept true: the least so far is the loss of a real set; what is cut off cannot be below it. It ends, since every branch
goes one row on; after ``MOST_NODES`` it gives up and offers nothing, rather than something that may not be the least.

Example: 5 grains are needed of rows (freed, lost) = (4, 8), (3, 9), (2, 10). In order they cost 2, 3 and 5 a grain.
With the first, 1 grain is left. With the second as well, 17 are lost: a set, and the least so far. Without the second,
the third gives 18: not less. Without the first, the bound is 9 + 10 = 19, no less than 17, and the branch is cut off.
The answer is the first and the second row.
"""

MOST_NODES = 20_000


def smallest_set(rows: list[tuple[int, int]], needed: int) -> tuple[int, ...] | None:
    """Indexes of the rows, as (grains freed, bytes lost), that free ``needed`` and lose the least, exactly.

    None where no set frees enough, or where the search would be too long to be exact.
    """
    order = sorted((i for i, (freed, _) in enumerate(rows) if freed > 0), key=lambda i: (rows[i][1] / rows[i][0], i))
    search = _SetSearch([rows[i] for i in order])
    if not search.run(needed):
        return None
    return tuple(sorted(order[k] for k in search.best))


class _SetSearch:
    """The state of one search; ``best`` holds places in ``rows``."""

    def __init__(self, rows: list[tuple[int, int]]) -> None:
        self.rows = rows
        self.best: tuple[int, ...] = ()
        self.least: int | None = None
        self.nodes = 0

    def run(self, needed: int) -> bool:
        # A stack instead of recursion: (next place, still needed, lost so far, chosen), the last one first.
        stack: list[tuple[int, int, int, tuple[int, ...]]] = [(0, needed, 0, ())]
        while stack:
            place, left, lost, chosen = stack.pop()
            self.nodes += 1
            if self.nodes > MOST_NODES:
                return False
            if left <= 0:
                if self.least is None or lost < self.least:
                    self.least, self.best = lost, chosen
                continue
            if not self._may_beat(place, left, lost):
                continue
            freed, cost = self.rows[place]
            stack.append((place + 1, left, lost, chosen))
            stack.append((place + 1, left - freed, lost + cost, (*chosen, place)))
        return self.least is not None

    def _may_beat(self, place: int, left: int, lost: int) -> bool:
        """Whether the rows from ``place`` on can free ``left`` and still lose less than the best set so far."""
        for freed, cost in self.rows[place:]:
            if freed >= left:
                return self.least is None or lost * freed + cost * left < self.least * freed
            left -= freed
            lost += cost
            if self.least is not None and lost >= self.least:
                return False
        return False
