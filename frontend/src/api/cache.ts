/** What a write answers stands, whatever was asked before it and arrives after it. */
import type { QueryClient } from "@tanstack/vue-query";

export async function settle(queries: QueryClient, queryKey: readonly unknown[], answer: unknown): Promise<void> {
  await queries.cancelQueries({ queryKey });
  queries.setQueryData(queryKey, answer);
}
