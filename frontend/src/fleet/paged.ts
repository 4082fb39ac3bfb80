/** The library's table where the server sorts it and gives it page by page. */
import type { TableColumnType, TableProps } from "ant-design-vue";
import { computed, type ComputedRef } from "vue";
import { PAGE } from "../api/buy";

export interface Place<Key extends string> {
  sort: Key;
  down: boolean;
  start: number;
}
/** The same key asked for again turns the order round; every other one begins upward, on the first page. */
export const sorted = <Key extends string>(place: Place<Key>, sort: Key): Place<Key> => ({
  sort,
  down: place.sort === sort && !place.down,
  start: 0,
});

interface Paged<Line, Key extends string> {
  /** A column by which the server can sort. */
  sorting: (key: Key, title: string, more?: TableColumnType<Line>) => TableColumnType<Line>;
  pages: ComputedRef<TableProps<Line>["pagination"]>;
  changed: TableProps<Line>["onChange"];
}

export function paged<Line, Key extends string>(
  place: () => Place<Key>,
  count: () => number,
  sort: (key: Key) => void,
  page: (start: number) => void,
): Paged<Line, Key> {
  /** `null` is not sorted; the table itself would go on from down to none. */
  const orders: TableColumnType<Line>["sortDirections"] = ["ascend", "descend", "ascend"];
  return {
    sorting: (key, title, more = {}) => ({
      key,
      title,
      sorter: true,
      showSorterTooltip: false,
      sortDirections: orders,
      sortOrder: place().sort === key ? (place().down ? "descend" : "ascend") : null,
      ...more,
    }),
    pages: computed(() => ({
      size: "small" as const,
      current: place().start / PAGE + 1,
      pageSize: PAGE,
      total: count(),
      hideOnSinglePage: true,
      showSizeChanger: false,
      showTotal: (total: number, [first, last]: [number, number]) => `${first} to ${last} of ${total}`,
    })),
    changed: ({ current }, _filters, sorter, { action }) => {
      if (action === "paginate") page(((current ?? 1) - 1) * PAGE);
      else if (!Array.isArray(sorter)) sort(sorter.columnKey as Key);
    },
  };
}
