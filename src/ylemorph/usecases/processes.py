"""Processes that work for this one: they end with it, also where it was killed and could say nothing."""

import multiprocessing
import os
from concurrent.futures import ProcessPoolExecutor
from threading import Thread


def pool(processes: int, *, fresh: bool) -> ProcessPoolExecutor:
    """So many processes. ``fresh``: begun from nothing, as a program with threads must; else they part from this one
    as it stands, with all that it has imported, where the system can do that."""
    context = multiprocessing.get_context("spawn") if fresh else None
    return ProcessPoolExecutor(processes, context, _leave_with)


def _leave_with() -> None:
    parent = multiprocessing.parent_process()
    assert parent is not None  # one process of a pool has one

    def watch() -> None:
        parent.join()
        os._exit(1)

    Thread(target=watch, daemon=True).start()
