"""What the lines of the list show of their jobs' content, worked out once for each content."""

import contextlib
from collections import OrderedDict
from collections.abc import Callable
from typing import Any

from ..models import LineContent

MOST_KEPT = 5000
LineKey = tuple[Any, ...]  # what the plan of a job follows from, as it is kept


class Lines:
    """The same content gives the same, whichever job it is."""

    def __init__(self) -> None:
        self._kept: OrderedDict[LineKey, LineContent] = OrderedDict()

    def of(self, content: LineKey, work_out: Callable[[], LineContent]) -> LineContent:
        shown = self._kept.get(content)
        if shown is None:
            shown = self._kept[content] = work_out()
            if len(self._kept) > MOST_KEPT:
                with contextlib.suppress(KeyError):  # another request may have been quicker
                    self._kept.popitem(last=False)
        return shown

    def clear(self) -> None:
        self._kept.clear()
