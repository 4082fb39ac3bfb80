<script setup lang="ts">
/** Disks that one has or could buy, and what each would mean for a job's source. */
import { useQuery, useQueryClient } from "@tanstack/vue-query";
import { useEventListener } from "@vueuse/core";
import { computed, nextTick, ref } from "vue";
import { useRoute, useRouter } from "vue-router";
import { settle } from "../api/cache";
import { ladderQuery, shelfQuery, SLOTS, writeShelf, type Offer, type ShelfTexts, type Slot } from "../api/buy";
import { client, data } from "../api/client";
import { choiceQuery } from "../api/jobs";
import FreeChart from "../buy/FreeChart.vue";
import LadderChart from "../buy/LadderChart.vue";
import { price } from "../buy/prices";
import ShelfForm from "../buy/ShelfForm.vue";
import { isTyping } from "../widgets/keys";
import PickOne from "../widgets/PickOne.vue";
import TopBar from "../widgets/TopBar.vue";
import { size } from "../widgets/units";
import { FITS, FIT_NAMES, formName, LINKS, spaced, verdictName } from "../widgets/words";
import FilePick from "../widgets/FilePick.vue";
import TroubleLine from "../widgets/TroubleLine.vue";

const emit = defineEmits<{ keys: [] }>();
const route = useRoute();
const router = useRouter();
const queries = useQueryClient();
const { data: shelf, isPending, error, refetch } = useQuery(shelfQuery());
document.title = "Shelf · Ylemorph";

const against = computed({
  get: () => Number(route.query.job ?? 0),
  set: (id: number) => void router.replace({ query: id ? { job: String(id) } : {} }),
});
const { data: jobs } = useQuery(computed(() => choiceQuery(against.value)));
const open = computed(() => (jobs.value ?? []).filter((job) => job.source && !job.closed && !job.broken));
const jobChoices = computed(() => [
  { value: 0, label: "no job: the shelf alone" },
  ...open.value.map((job) => ({ value: job.id, label: `${job.code} ${job.name}`.trim() })),
]);
const job = computed(() => open.value.find((line) => line.id === against.value) ?? null);
const slot = ref<Slot | "">("");
const slotChoices = [
  { value: "", label: "as the job says" },
  ...SLOTS.map((word) => ({ value: word, label: word === "unknown" ? "not known" : formName(word) })),
];
const version = computed(() => `${job.value?.changed_at ?? ""}/${shelf.value?.version ?? 0}`);
const { data: ladder, error: noLadder } = useQuery(
  computed(() => {
    const base = ladderQuery({ id: against.value, version: 0 }, "own", "512", slot.value || undefined);
    return { ...base, queryKey: [...base.queryKey, version.value], enabled: !!job.value };
  }),
);
const offers = computed(() => new Map((ladder.value?.disks ?? []).map((offer) => [offer.name, offer])));

type Order = "size" | "price" | "gain" | "stock";
const order = ref<Order>("size");
const rows = computed(() => {
  const named = (shelf.value?.disks ?? []).map((disk, place) => ({
    disk,
    offer: offers.value.get(disk.name ?? ""),
    bytes: shelf.value?.bytes[place] ?? 0,
  }));
  const far = Number.POSITIVE_INFINITY;
  const worth: Record<Order, (row: (typeof named)[number]) => number> = {
    size: (row) => row.bytes,
    price: (row) => (row.disk.price ? Number(row.disk.price) : far),
    gain: (row) => row.offer?.price_per_gib ?? far,
    stock: (row) => (row.disk.stock ? -Number(row.disk.stock) : row.disk.stock === "" ? -far : far),
  };
  return [...named].sort((a, b) => worth[order.value](a) - worth[order.value](b));
});

/** Under which fits a disk works, in few words. */
function fitsOf(offer: Offer): string {
  const good = FITS.filter((fit) => offer.by_fit[fit] === "comfortable" || offer.by_fit[fit] === "tight");
  if (good.length === FITS.length) return "fits under every fit";
  if (!good.length) return "fits under none";
  const not = FITS.filter((fit) => !good.includes(fit));
  return not.length < 3
    ? `not under ${not.map((fit) => FIT_NAMES[fit]).join(", ")}`
    : `only under ${good.map((fit) => FIT_NAMES[fit]).join(", ")}`;
}
const editing = ref<string | null>(null); // the name of the disk that is changed, empty for a new one
const pasting = ref(false);
const pasted = ref("");
const refused = ref("");
const chosen = ref("");
const form = ref<{ focus: () => void } | null>(null);
const edited = computed(() => shelf.value?.disks.find((disk) => disk.name === editing.value) ?? null);
const before = ref<ShelfTexts[] | null>(null); // what one step back leads to

async function write(body: { disks: ShelfTexts[] } | { csv: string }, back = true): Promise<boolean> {
  const was = shelf.value?.disks ?? [];
  try {
    await settle(queries, ["shelf"], await writeShelf({ ...body, version: shelf.value?.version ?? 0 }));
    refused.value = "";
    before.value = back ? [...was] : null;
    return true;
  } catch (failure) {
    refused.value = (failure as Error).message;
    void refetch();
    return false;
  }
}
async function keep(disk: ShelfTexts): Promise<void> {
  const all = shelf.value?.disks ?? [];
  const disks = editing.value ? all.map((one) => (one.name === editing.value ? disk : one)) : [...all, disk];
  if (await write({ disks })) editing.value = null;
}
const remove = (name: string) => void write({ disks: (shelf.value?.disks ?? []).filter((disk) => disk.name !== name) });
const undo = () => before.value && void write({ disks: before.value }, false);
async function paste(text: string): Promise<void> {
  if (await write({ csv: text })) pasting.value = false;
}
const fromFile = async ([file]: File[]) => file && paste(await file.text());
async function edit(name: string): Promise<void> {
  editing.value = name;
  refused.value = "";
  await nextTick();
  form.value?.focus();
}
async function take(offer: Offer): Promise<void> {
  chosen.value = offer.name;
  if (!job.value) return;
  const target = { nominal: `${offer.sectors}s`, logical_sector_bytes: offer.logical_sector_bytes };
  try {
    const path = { job_id: job.value.id };
    await data(client.POST("/api/jobs/{job_id}/changes", { params: { path }, body: { kind: "target", target } }));
    void queries.invalidateQueries({ queryKey: ["jobs"] });
    await queries.invalidateQueries({ queryKey: ["job", job.value.id] });
    await router.push(`/jobs/${job.value.id}/fit`);
  } catch (failure) {
    refused.value = (failure as Error).message;
  }
}
useEventListener(window, "keydown", (event: KeyboardEvent) => {
  if (isTyping(event) || event.ctrlKey || event.metaKey || event.altKey) return;
  if (event.key.toLowerCase() === "n") {
    event.preventDefault();
    void edit("");
  } else if (event.key.toLowerCase() === "z" && before.value) undo();
});
</script>

<template>
  <TopBar @keys="emit('keys')" />
  <main class="stage-page">
    <div class="head">
      <h1>Shelf</h1>
      <span class="muted">disks that are there or could be bought</span>
      <span class="gap" />
      <a-button v-if="before" size="small" @click="undo">Undo <kbd>Z</kbd></a-button>
      <a-button size="small" @click="pasting = !pasting">Paste or import</a-button>
      <a-button size="small" href="/api/shelf.csv">Take out as CSV</a-button>
      <a-button size="small" type="primary" @click="edit('')">Another disk <kbd>N</kbd></a-button>
    </div>
    <section v-if="pasting" class="card paste">
      <label for="csv">
        CSV with a header line: name, size, sector_bytes, link, form, price, currency, stock, note. It takes the place
        of what stands here.
      </label>
      <a-textarea id="csv" v-model:value="pasted" class="fig" :rows="6" />
      <div>
        <a-button type="primary" :disabled="!pasted.trim()" @click="paste(pasted)">Put it on the shelf</a-button>
        <FilePick text="or a file" accept=".csv,text/csv,text/plain" @picked="fromFile" />
      </div>
    </section>
    <ShelfForm
      v-if="editing !== null"
      ref="form"
      :disk="edited"
      :refused="refused"
      @keep="keep"
      @close="editing = null"
    />
    <TroubleLine v-else-if="refused">{{ refused }}</TroubleLine>

    <div v-if="isPending" class="card"><a-spin /> Reading the shelf</div>
    <TroubleLine v-else-if="error">
      {{ error.message }} <a-button size="small" @click="refetch()">Try again</a-button>
    </TroubleLine>
    <section v-else-if="!shelf?.disks.length" class="card">
      <h2>The shelf is empty</h2>
      <p>
        Put the disks on it that are in the cupboard or on your price list: type them, paste a list, or import a CSV.
      </p>
    </section>
    <template v-else>
      <section class="card against">
        <label>Against <PickOne v-model="against" :choices="jobChoices" label="The job whose source is tried" /></label>
        <label v-if="job">Slot <PickOne v-model="slot" :choices="slotChoices" label="The slot of the machine" /></label>
        <p v-if="job" class="muted">
          {{ job.source?.model }} {{ job.source?.label }}. One click takes a disk as its target.
        </p>
        <p v-else class="muted">Choose a job, and each disk says what it would mean for its source.</p>
      </section>
      <TroubleLine v-if="noLadder">{{ noLadder.message }}</TroubleLine>
      <section v-if="job && ladder" class="card" aria-label="The shelf as a ladder">
        <LadderChart :ladder="ladder" :chosen="chosen" :sector="512" @choose="take" />
      </section>
      <section v-if="job && ladder" class="card">
        <FreeChart :ladder="ladder" :chosen="chosen" @choose="(name) => (chosen = name)" />
      </section>
      <section class="card list">
        <table class="plain">
          <caption class="sr-only">
            The shelf
          </caption>
          <thead>
            <tr>
              <th scope="col">Disk</th>
              <th scope="col" :aria-sort="order === 'size' ? 'ascending' : 'none'" class="num">
                <button @click="order = 'size'">Size</button>
              </th>
              <th scope="col">Link, form</th>
              <th scope="col" :aria-sort="order === 'stock' ? 'ascending' : 'none'" class="num">
                <button @click="order = 'stock'">Stock</button>
              </th>
              <th scope="col" :aria-sort="order === 'price' ? 'ascending' : 'none'" class="num">
                <button @click="order = 'price'">Price</button>
              </th>
              <template v-if="job">
                <th scope="col">Verdict</th>
                <th scope="col" :aria-sort="order === 'gain' ? 'ascending' : 'none'" class="num">
                  <button @click="order = 'gain'">Per GiB gained</button>
                </th>
                <th scope="col">Copying</th>
                <th scope="col">Lasts</th>
              </template>
              <th scope="col"><span class="sr-only">Change</span></th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="{ disk, offer } in rows" :key="disk.name ?? ''" :class="{ chosen: disk.name === chosen }">
              <td>
                <b>{{ spaced(disk.name ?? "") }}</b>
                <div class="muted">{{ disk.note }}</div>
              </td>
              <td class="num" :title="offer ? `shows as ${size(offer.size_bytes, 'binary')}` : ''">
                {{ spaced(disk.size ?? "") }}
              </td>
              <td>
                {{ LINKS[disk.link as keyof typeof LINKS] ?? disk.link }},
                {{ disk.form === "unknown" ? "?" : formName(disk.form ?? "") }}
                <div v-if="offer?.suits === false">
                  <a-tag class="tag mind">wrong slot</a-tag> {{ offer.suits_why }}
                </div>
                <div v-else-if="offer?.suits_why" class="muted">{{ offer.suits_why }}</div>
              </td>
              <td class="num">{{ disk.stock === "" ? "enough" : disk.stock }}</td>
              <td class="num">{{ disk.price }} {{ disk.currency }}</td>
              <template v-if="job">
                <td>
                  <template v-if="offer">
                    <b>{{ verdictName(offer.verdict) }}</b> <a-tag v-if="offer.cheapest" class="tag">cheapest</a-tag>
                    <div class="muted">{{ offer.says }}</div>
                    <div class="muted">{{ fitsOf(offer) }}</div>
                  </template>
                </td>
                <td class="num">{{ offer ? price(offer.price_per_gib, offer.currency) : "" }}</td>
                <td>
                  <template v-if="offer">
                    {{ offer.time }}
                    <div v-if="offer.slowed" class="muted">{{ offer.slowed }}</div>
                  </template>
                </td>
                <td>{{ offer?.lasts?.text ?? "" }}</td>
              </template>
              <td class="acts">
                <a-button v-if="offer" size="small" :aria-label="`Take ${disk.name} as target`" @click="take(offer)">
                  Take
                </a-button>
                <a-button size="small" type="text" :aria-label="`Change ${disk.name}`" @click="edit(disk.name ?? '')">
                  Change
                </a-button>
                <a-button size="small" type="text" :aria-label="`Remove ${disk.name}`" @click="remove(disk.name ?? '')">
                  Remove
                </a-button>
              </td>
            </tr>
          </tbody>
        </table>
      </section>
    </template>
  </main>
</template>

<style scoped>
main {
  padding: 14px 20px 40px;
}
.gap {
  flex: 1;
}
.head {
  flex-wrap: wrap;
}
.paste {
  display: grid;
  gap: 8px;
}
.paste > div,
.against {
  display: flex;
  gap: 14px;
  align-items: center;
  flex-wrap: wrap;
}
.against label {
  max-width: 100%;
}
.list {
  position: relative;
  overflow-x: auto;
  padding: 6px 16px;
}
th[aria-sort="ascending"] button {
  color: var(--ink);
  text-decoration: underline;
}
tr.chosen td {
  background: var(--chosen);
}
.acts {
  white-space: nowrap;
  text-align: right;
}
</style>
