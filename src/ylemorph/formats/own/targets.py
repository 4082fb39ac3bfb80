"""A target that is only a size, from what was typed (rules 1.1 and 1.3)."""

from ...core.disk.model import Disk
from ...core.disk.usual_sizes import nominal_disk
from ...core.errors import BadOption
from ...core.sizes import DECIMAL_UNITS, MAX_BYTES, read_quantity, to_bytes


def target_from_text(text: str, sector: int = 512) -> Disk:
    """A blank disk: ``480GB`` (rule 1.3), ``937703088s``, or binary text for exact bytes. Raises BadOption, BadSize."""
    quantity = read_quantity(text)
    if quantity.unit == "s":
        sectors = quantity.number
        if sectors.denominator != 1 or not 0 < sectors * sector <= MAX_BYTES:
            raise BadOption(f"“{text}” is not a count of sectors", at="target", mend="write 937703088s")
        return Disk(sectors=int(sectors), logical_sector_bytes=sector)
    if quantity.unit in ("", "%"):
        raise BadOption(
            f"“{text}” has no unit", at="target", mend="write 480GB for a nominal size or 937703088s for sectors"
        )
    size = to_bytes(quantity)
    if size < sector:
        raise BadOption(f"“{text}” is smaller than one sector", at="target", mend="write 480GB or 937703088s")
    if quantity.unit in DECIMAL_UNITS:
        return nominal_disk(size, sector)
    return Disk(sectors=size // sector, logical_sector_bytes=sector)
