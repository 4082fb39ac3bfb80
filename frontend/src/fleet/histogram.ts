/** The geometry of the histogram of needed sizes: equal ratios are equal widths, so that doublings stand evenly. */
export interface Bin {
  from_bytes: number;
  to_bytes: number;
  machines: number;
}
export interface Bar {
  x: number;
  width: number;
  height: number;
  bin: Bin;
}
export interface Model {
  name: string;
  x: number;
  row: number;
}

export interface Shape {
  bars: Bar[];
  models: Model[];
  rows: number;
}

/** Bars and the models' lines; `row` keeps the names of near models apart. */
export function shape(
  bins: readonly Bin[],
  models: readonly { name: string; size_bytes: number }[],
  width: number,
  height: number,
): Shape {
  const sizes = models.map((model) => model.size_bytes);
  const low = Math.min(...bins.map((bin) => bin.from_bytes), ...sizes) * 0.92;
  const high = Math.max(...bins.map((bin) => bin.to_bytes), ...sizes) * 1.25;
  const x = (bytes: number) => ((Math.log(bytes) - Math.log(low)) / (Math.log(high) - Math.log(low))) * width;
  const most = Math.max(1, ...bins.map((bin) => bin.machines));
  const bars = bins.map((bin) => ({
    x: x(bin.from_bytes),
    width: x(bin.to_bytes) - x(bin.from_bytes),
    height: (bin.machines / most) * height,
    bin,
  }));
  const ends: number[] = []; // of the names, by row
  const placed = [...models]
    .sort((a, b) => a.size_bytes - b.size_bytes)
    .map((model) => {
      const at = x(model.size_bytes);
      // Its line runs down through every row below its name, so none of those may hold a name there.
      const row = ends.findLastIndex((end) => end >= at) + 1;
      if (row === ends.length) ends.push(0);
      ends[row] = at + model.name.length * 7 + 20;
      return { name: model.name, x: at, row };
    });
  return { bars, models: placed, rows: Math.max(1, ends.length) };
}
