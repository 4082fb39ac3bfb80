"""Two disks side by side: whether they are one and the same, and how their sizes differ, in words."""

from ..sizes import Units, format_size
from .model import Disk

LEAST_SIGNS = 4  # of a serial or identity, so that its end tells disks apart


def same_disk(source: Disk, target: Disk) -> str:
    """What tells that both are one disk, in words for a sentence; empty where nothing does.

    Adapters hide the model or report one serial for every disk behind them, so neither counts alone; an identity on a
    disk of another size is an earlier copy, not the disk itself.
    """
    same_size = source.size_bytes == target.size_bytes
    if source.serial and source.serial == target.serial and (same_size or source.model == target.model):
        return f"the serial {source.serial}"
    if source.table_id and source.table_id == target.table_id and same_size and target.partitions:
        return f"the disk identity {source.table_id}"
    return ""


def is_few_short(source: Disk, target: Disk) -> bool:
    """Whether the target is smaller by so little that both labels say the same: under one of a thousand."""
    return 0 < source.size_bytes - target.size_bytes <= source.size_bytes // 1000


def compared(source: Disk, target: Disk, units: Units = "binary") -> str:
    """How the target's size stands to the source's (rule 1.2)."""
    change = target.size_bytes - source.size_bytes
    if change == 0:
        return "Exactly as large as the source."
    size = format_size(abs(change), units)
    if is_few_short(source, target):
        label = format_size(source.size_bytes, "decimal")
        return f"Both say {label} on the label, yet the target is {size} short."
    return f"{size} {'larger' if change > 0 else 'smaller'} than the source."


def confirmation(disk: Disk, other: Disk | None = None) -> str:
    """What a person types to confirm that this disk is meant (needs.md 3: picked by size and serial).

    The last four of its serial, else of its identity; the whole of it where ``other`` ends alike; where it has
    neither, its full model and size.
    """
    for name in ("serial", "table_id"):
        own, others = _signs(getattr(disk, name)), _signs(getattr(other, name)) if other else ""
        if len(own) >= LEAST_SIGNS and own != others:
            return own if own[-LEAST_SIGNS:] == others[-LEAST_SIGNS:] else own[-LEAST_SIGNS:]
    return f"{disk.model} {format_size(disk.size_bytes, 'decimal')}".strip()


def confirms(typed: str, disk: Disk, other: Disk | None = None) -> bool:
    """Whether ``typed`` confirms ``disk``, without regard to case and spacing: it is what is asked for, or the whole of
    its serial, which a scanner types."""
    signs, whole = _signs(typed), _signs(disk.serial)
    if not typed:
        return False
    own = len(whole) >= LEAST_SIGNS and (other is None or whole != _signs(other.serial))
    return signs == _signs(confirmation(disk, other)) or (own and signs == whole)


def _signs(text: str) -> str:
    return "".join(c for c in text if c.isalnum()).upper()
