"""The bench in bytes: an independent judge of steps, written apart from the rehearsal and sharing no code with it.

Disks are arrays of cells (a quarter of a MiB each). A row is a small file system of its own: its first cell names it
and its length, each datum is a cell that must be found again, the rest are free cells that still belong to it. Steps
work on these cells alone, and at the end every datum is read back from the target.
"""

import random

import numpy as np

CELL = 512  # sectors
ROW, HEAD, FREE, DATUM, TABLE = 1 << 40, 1 << 38, 2 << 38, 3 << 38, 1 << 60


class Lost(Exception):
    """Something that a real bench would not survive."""


class Bench:
    def __init__(self, data, seed=0):
        self.data = data
        self.random = random.Random(seed)
        self.gpt = data["plan"]["target"]["table"] == "gpt"
        self.planned = {row["number"]: row for row in data["plan"]["rows"] if row["carried"]}
        self.sector = data["disks"]["source"]["logical_sector_bytes"]
        self.cells = {name: np.zeros(shape["sectors"] // CELL, dtype=np.int64) for name, shape in data["disks"].items()}
        self.holds = {hold["row"]: hold for hold in data["holds"]}
        self.data_count = {row: max(1, -(-hold["bytes"] // (CELL * self.sector))) for row, hold in self.holds.items()}
        self.tables = dict.fromkeys(self.cells)
        self.code = dict.fromkeys(self.cells, False)
        self.code["source"] = data["start"]["code"]
        self.names = {name: {} for name in self.cells}  # by the cell of a row's start: where it says that it starts
        self.made = 0
        self.write_table("source", {row["number"] for row in data["plan"]["rows"] if row["source_bytes"]}, "old")
        for hold in data["holds"]:
            self.cells["source"][self.span(hold)] = self.new_file_system(hold["row"], hold["sectors"] // CELL)
            self.names["source"][hold["first_lba"] // CELL] = hold["first_lba"]
        self.find(data["disks"]["target"])

    def find(self, target):
        """What stands on the target before: whole rows as file systems of their own, others as what nobody can use."""
        for one in target.get("found", ()):
            if one["whole"]:
                self.cells["target"][self.span(one)] = self.new_file_system(one["row"], one["sectors"] // CELL)
            else:
                self.cells["target"][self.span(one)] = -99
            self.names["target"][one["first_lba"] // CELL] = one["named"]
        if "found_table" in target:
            said = target["found_table"]
            self.code["target"] = said["code"]
            rows = set(self.planned) if said["as_planned"] else {one["row"] for one in target["found"]}
            self.write_table("target", rows, "planned" if said["as_planned"] else "old")
            if self.gpt and not said["backup"]:
                self.cells["target"][-1] = 0

    @staticmethod
    def span(extent):
        assert extent["first_lba"] % CELL == 0
        assert extent["sectors"] % CELL == 0
        return slice(extent["first_lba"] // CELL, (extent["first_lba"] + extent["sectors"]) // CELL)

    # --- the small file system ---------------------------------------------------------------------------------------

    def new_file_system(self, row, length):
        cells = np.full(length, row * ROW + FREE, dtype=np.int64)
        cells[0] = row * ROW + HEAD + length
        count = self.data_count[row] - 1
        for place, datum in zip(self.random.sample(range(1, length), count), range(count), strict=True):
            cells[place] = row * ROW + DATUM + datum
        return cells

    def opened(self, name, row, extent):
        """The cells of the row's file system, every one of them looked at."""
        span = self.span(extent)
        cells = self.cells[name][span]
        if span.stop > len(self.cells[name]) or not len(cells) or cells[0] != row * ROW + HEAD + len(cells):
            raise Lost(f"no file system of row {row} with that length begins there")
        body = cells[1:]
        data = np.sort(body[body != row * ROW + FREE])
        wanted = row * ROW + DATUM + np.arange(self.data_count[row] - 1, dtype=np.int64)
        if not np.array_equal(data, wanted):
            raise Lost(f"data of row {row} are gone")
        return cells.copy()

    def resized(self, row, cells, length):
        """Packed in front where it becomes shorter; free cells are added where it becomes longer."""
        if self.holds[row]["fixed"] and length != len(cells):
            raise Lost("a fixed row changes its length")
        if length < self.data_count[row]:
            raise Lost(f"row {row} does not find room")
        made = np.full(length, row * ROW + FREE, dtype=np.int64)
        kept = min(length, len(cells))
        made[:kept] = cells[:kept]
        made[0] = row * ROW + HEAD + length
        past = [cell for cell in cells[kept:] if cell != row * ROW + FREE]
        free = np.flatnonzero(made == row * ROW + FREE)
        made[free[: len(past)]] = past
        return made

    # --- the disks ---------------------------------------------------------------------------------------------------

    def put(self, name, extent, cells):
        self.within(name, extent)
        self.cells[name][self.span(extent)] = cells

    def within(self, name, extent):
        first, stop = extent["first_lba"], extent["first_lba"] + extent["sectors"]
        low, high = 0, len(self.cells[name]) * CELL
        if name == "target":
            target = self.data["plan"]["target"]
            low, high = target["first_usable_lba"], min(high, target["last_usable_lba"] + 1)
        if first < low or stop > high:
            raise Lost("outside of the disk")

    def write_table(self, name, rows, what):
        self.made += 1
        mark = TABLE + self.made
        self.cells[name][0] = mark
        if self.gpt:
            self.cells[name][-1] = mark
        self.tables[name] = {"rows": set(rows), "what": what, "mark": mark}

    # --- steps -------------------------------------------------------------------------------------------------------

    def run(self):
        """Whether everything is whole on the target after the last step."""
        try:
            for step in self.data["steps"]:
                getattr(self, "do_" + step["kind"].replace("-", "_"))(step)
            self.look()
        except Lost:
            return False
        return True

    def do_read(self, step):
        first, stop = step["to"]["first_lba"], step["to"]["sectors"]
        giver, taker = self.cells[step["from_disk"]], self.cells[step["disk"]]
        if first or step["from"] != step["to"] or stop > min(len(giver), len(taker)) * CELL:
            raise Lost("not in place, or too long")
        taker[: stop // CELL] = giver[: stop // CELL]
        self.names[step["disk"]].update(self.names[step["from_disk"]])
        self.code[step["disk"]] = self.code[step["from_disk"]]
        table = self.tables[step["from_disk"]]
        self.tables[step["disk"]] = table and {**table, "rows": set(table["rows"])}

    def do_copy(self, step):
        cells = self.opened(step["from_disk"], step["row"], step["from"])
        length = step["to"]["sectors"] // CELL
        if length > len(cells) or (length < len(cells) and self.data["way"] not in ("straight", "files", "finish")):
            raise Lost("another length on the way")
        self.put(step["disk"], step["to"], self.resized(step["row"], cells, length))
        came = self.names[step["from_disk"]][step["from"]["first_lba"] // CELL]
        made = self.data["way"] == "files"
        self.names[step["disk"]][step["to"]["first_lba"] // CELL] = step["to"]["first_lba"] if made else came

    def do_shrink(self, step, sign=-1):
        cells = self.opened(step["disk"], step["row"], step["from"])
        length = step["to"]["sectors"] // CELL
        if step["from"]["first_lba"] != step["to"]["first_lba"] or (length - len(cells)) * sign < 0:
            raise Lost("another place, or the other way round")
        made = self.resized(step["row"], cells, length)
        self.within(step["disk"], step["to"])
        self.cells[step["disk"]][self.span(step["from"])] = 0
        self.put(step["disk"], step["to"], made)

    def do_grow(self, step):
        self.do_shrink(step, sign=1)

    def do_move(self, step):
        cells = self.opened(step["disk"], step["row"], step["from"])
        if step["from"]["sectors"] != step["to"]["sectors"]:
            raise Lost("another length on a move")
        self.within(step["disk"], step["to"])
        self.cells[step["disk"]][self.span(step["from"])] = 0
        self.put(step["disk"], step["to"], cells)
        names = self.names[step["disk"]]
        names[step["to"]["first_lba"] // CELL] = names[step["from"]["first_lba"] // CELL]

    def do_table(self, step):
        self.write_table(step["disk"], self.planned, "planned" if step["disk"] == "target" else "misplaced")
        if not self.gpt:
            grain = self.data["grain_bytes"] // self.sector
            for row in self.planned.values():
                if row["logical"] and row["first_lba"] >= grain:
                    place = (row["first_lba"] - grain) // CELL
                    if place < len(self.cells[step["disk"]]):
                        self.cells[step["disk"]][place] = self.tables[step["disk"]]["mark"]

    def do_cut(self, step):
        self.cells[step["disk"]] = self.cells[step["disk"]][: step["to"]["sectors"] // CELL].copy()

    def do_mend_table(self, step):
        table = self.tables[step["disk"]]
        if table is None:
            raise Lost("no table to mend")
        if self.gpt:
            self.cells[step["disk"]][-1] = table["mark"]

    def do_make(self, step):
        self.put(step["disk"], step["to"], -step["row"])
        if self.tables[step["disk"]]:
            self.tables[step["disk"]]["rows"].add(step["row"])

    def do_check(self, step):
        pass

    do_identity = do_check

    def do_start_code(self, step):
        if step["from_disk"]:
            if not self.code[step["from_disk"]]:
                raise Lost("no code there")
            self.code[step["disk"]] = True
        names = self.names[step["disk"]]
        for place in names:
            names[place] = place * CELL

    # --- the end -----------------------------------------------------------------------------------------------------

    def look(self):
        for row, hold in self.holds.items():
            plan = self.planned[row]
            length = hold["sectors"] if hold["fixed"] else plan["sectors"]
            self.opened("target", row, {"first_lba": plan["first_lba"], "sectors": length})
        table, cells = self.tables["target"], self.cells["target"]
        if table is None or cells[0] != table["mark"] or (self.gpt and cells[-1] != table["mark"]):
            raise Lost("the table or its backup is not there")
        if self.data["start"]["code"] and not self.code["target"]:
            raise Lost("no code on the target")
        for row in self.data["start"]["named"]:
            start = self.planned[row]["first_lba"]
            if self.names["target"][start // CELL] != start:
                raise Lost("a row names another place")
        if table["what"] != "planned" and table["rows"] != set(self.planned):
            raise Lost("the table names other rows")
