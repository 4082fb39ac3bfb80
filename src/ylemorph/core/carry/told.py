"""What the sentences of a step are made from."""

from typing import NamedTuple

from ..disk.extents import first_past
from ..sizes import Units, format_size
from .ground import Ground, Load
from .sequence import DiskName, Step, WayKey


class Words(NamedTuple):
    """A step in words. ``typed``: commands for doing it by hand, where there are such."""

    say: str
    before: tuple[str, ...]
    undo: str
    typed: tuple[str, ...] = ()


class Told(NamedTuple):
    """What the sentences of one step are made from."""

    ground: Ground
    way: WayKey
    step: Step
    units: Units

    @property
    def row(self) -> str:
        for row in self.ground.plan.rows:
            if row.number == self.step.row:
                return row.row.name_and_number
        return ""

    @property
    def load(self) -> Load:
        return next(load for load in self.ground.loads if load.number == self.step.row)

    def disk(self, name: DiskName | None) -> str:
        if name == "image":
            return "the image"
        disk = self.ground.plan.source if name == "source" else self.ground.plan.target
        return disk.model or f"the {name}"

    @property
    def where(self) -> str:
        return self.disk(self.step.disk)

    @property
    def there(self) -> str:
        """``on Quillon S2``, ``in the image``."""
        return "in the image" if self.step.disk == "image" else f"on {self.where}"

    @property
    def onto(self) -> str:
        return "into the image" if self.step.disk == "image" else f"to {self.where}"

    @property
    def sizes(self) -> str:
        """``from 420 GiB to 201 GiB``."""
        assert self.step.source is not None
        assert self.step.to is not None
        sector = self.ground.sector
        was, will = (format_size(extent.length * sector, self.units) for extent in (self.step.source, self.step.to))
        return f"from {was} to {will}"

    @property
    def deleted(self) -> tuple[str, ...]:
        """What is there and does not go over must be gone before something else takes its place."""
        made = self.way != "finish"  # there what is made new stands at its place, or is not there at all
        gone = [
            row.row.name_and_number for row in self.ground.plan.rows if not row.carried or (made and row.row.is_made)
        ]
        present = [name for name in gone if name]
        return (f"{' and '.join(present)} deleted {self.there}: not as the plan has them",) if present else ()

    @property
    def lighter(self) -> tuple[str, ...]:
        """What stays behind must be taken out before it is made smaller."""
        floors, used = self.load.row.floors, self.load.row.used_bytes
        if floors is None or used is None or used <= floors.carried_bytes:
            return ()
        return (f"{format_size(used - floors.carried_bytes, self.units)} that stay behind are taken out of it",)

    @property
    def sealed(self) -> tuple[str, ...]:
        if any(load.number == self.step.row for load in self.ground.sealed):
            return ("It is encrypted: its protection is paused, and this is done in the system that runs from it",)
        return ()

    @property
    def by_lvm(self) -> tuple[str, ...]:
        """What is typed for a member of a volume group; PART is where its partition shows itself."""
        fs, step = self.load.row.row.fs, self.step
        if fs is None or fs.kind != "lvm" or step.to is None or step.source is None:
            return ()
        size = step.to.length * self.ground.sector
        if step.to.length > step.source.length:
            return ("pvresize PART", "lvextend --resizefs --size +SIZE GROUP/VOLUME")
        first = first_past(fs, size)
        packing = (f"pvmove --alloc anywhere PART:{first}-",) if first is not None and step.read_bytes else ()
        return (*packing, f"pvresize --setphysicalvolumesize {size}B PART")

    @property
    def immovable(self) -> tuple[str, ...]:
        if self.step.row in self.ground.plan.options.cleared:
            return ("What cannot be moved is cleared: page file and hibernation off, restore points gone",)
        return ()
