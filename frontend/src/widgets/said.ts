/** What was recognised in the listing that was read last, and what it leaves out; shown until the next one. */
import { ref } from "vue";

export const said = ref<string[]>([]);
