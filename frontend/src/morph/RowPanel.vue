<script setup lang="ts">
/** The chosen row: how full, its floor worked out line by line, its size, what may be done with it. */
import { computed, ref, watch } from "vue";
import type { Change, Partition, Plan, PlanRow } from "../api/client";
import type { ProblemError } from "../api/client";
import PickOne from "../widgets/PickOne.vue";
import { exact, size, sizeFine, units } from "../widgets/units";
import { KINDS, ROLES } from "../widgets/words";
import TroubleLine from "../widgets/TroubleLine.vue";

const props = defineProps<{
  row: PlanRow;
  partition: Partition | null;
  plan: Plan;
  refused: ProblemError | null;
  headroom: number;
  lightened: number;
  cleared: boolean;
  change: (body: Change) => Promise<boolean>;
}>();
const emit = defineEmits<{ pin: []; leave: []; hold: []; rest: []; move: [steps: number]; headroom: [] }>();

const field = ref<HTMLInputElement | null>(null);
const typed = ref("");
const dirty = ref(false);
const lighten = ref("");
const lightenField = ref<{ focus: () => void } | null>(null);

watch(
  () => [props.row.size_bytes, units.value] as const,
  () => {
    if (!dirty.value) typed.value = props.row.size_bytes === null ? "" : sizeFine(props.row.size_bytes);
  },
  { immediate: true },
);
watch(
  () => props.lightened,
  (bytes) => (lighten.value = bytes ? size(bytes) : ""),
  { immediate: true },
);

async function pinTyped(): Promise<void> {
  const bare = units.value === "binary" ? "gib" : "gb";
  if (await props.change({ kind: "pin", row: props.row.number, size: typed.value, bare })) {
    dirty.value = false;
    typed.value = props.row.size_bytes === null ? "" : sizeFine(props.row.size_bytes);
  }
}
function forget(): void {
  dirty.value = false;
  typed.value = props.row.size_bytes === null ? "" : sizeFine(props.row.size_bytes);
}
const setLighten = () =>
  void props.change({ kind: "lighten", row: props.row.number, size: lighten.value.trim() || "0B" });

const lines = computed(() => props.row.floor_lines);
const bar = computed(() => {
  const whole = props.row.size_bytes ?? props.row.source_bytes;
  const share = (bytes: number | null | undefined) => Math.min(100, ((bytes ?? 0) / whole) * 100);
  return {
    used: share(lines.value?.carried_bytes ?? props.row.used_bytes),
    floor: props.row.hard_floor_bytes === null ? null : share(props.row.hard_floor_bytes),
    comfort: props.row.comfort_floor_bytes === null ? null : share(props.row.comfort_floor_bytes),
  };
});
const BINDINGS = {
  used: "",
  immovable: "held up by data that cannot be moved",
  minimum: "the least its file system allows",
  source: "cannot be made smaller",
} as const;
const why = computed(() => (lines.value ? BINDINGS[lines.value.binding] : ""));
const WAYS = [
  { action: "up", end: "start", steps: -1, sign: "↑" },
  { action: "down", end: "end", steps: 1, sign: "↓" },
] as const;
const ROLE_CHOICES = ROLES.map((role) => ({ value: role, label: role }));

defineExpose({
  focusSize: () => {
    field.value?.focus();
    field.value?.select();
  },
});
</script>

<template>
  <section class="card row" :aria-label="`Row ${row.label}`">
    <div class="title">
      <h2>{{ row.label.replace(" ", " · ") }}</h2>
      <PickOne
        v-if="partition"
        :model-value="row.role"
        :choices="ROLE_CHOICES"
        :label="`Role of ${row.label}`"
        @update:model-value="(role) => change({ kind: 'role', row: row.number, role })"
      />
      <span class="muted">{{ row.kind === "unknown" ? "" : KINDS[row.kind] }}</span>
    </div>
    <div class="over">
      <span class="muted">{{
        !row.carried ? "left behind" : row.size_bytes === null ? "on the source" : "on the target"
      }}</span>
      <span v-if="row.free_after_bytes !== null" class="fig">{{ sizeFine(row.free_after_bytes) }} free</span>
    </div>
    <div class="fullness" :class="row.change" aria-hidden="true">
      <i class="used" :style="{ width: `${bar.used}%` }" />
      <i v-if="bar.floor !== null" class="mark" :style="{ left: `${bar.floor}%` }" />
      <i v-if="bar.comfort !== null" class="mark dotted" :style="{ left: `${bar.comfort}%` }" />
    </div>

    <dl v-if="lines && row.elastic">
      <template v-if="lightened">
        <dt>Lightened by</dt>
        <dd>{{ sizeFine(lightened) }}</dd>
      </template>
      <dt>
        Used, goes over
        <button type="button" class="act" :aria-label="`Lighten ${row.label}`" @click="lightenField?.focus()">
          lighten
        </button>
      </dt>
      <dd :title="exact(lines.carried_bytes)">{{ sizeFine(lines.carried_bytes) }}</dd>
      <template v-if="lines.shed_bytes">
        <dt>Tables it sheds</dt>
        <dd>−{{ sizeFine(lines.shed_bytes) }}</dd>
      </template>
      <dt>Slack to be made smaller</dt>
      <dd>{{ sizeFine(lines.slack_bytes) }}</dd>
      <template v-if="lines.immovable_bytes">
        <dt>
          Immovable end
          <button
            type="button"
            class="act"
            :aria-label="`The immovable end of ${row.label} is cleared`"
            @click="change({ kind: 'cleared', row: row.number, on: true })"
          >
            clear
          </button>
        </dt>
        <dd>{{ sizeFine(lines.immovable_bytes) }}</dd>
      </template>
      <template v-if="lines.minimum_bytes">
        <dt>File system minimum</dt>
        <dd>{{ sizeFine(lines.minimum_bytes) }}</dd>
      </template>
      <dt>
        <b>Hard floor</b> <span v-if="why" class="muted">{{ why }}</span>
      </dt>
      <dd :title="exact(row.hard_floor_bytes ?? 0)">{{ sizeFine(row.hard_floor_bytes ?? 0) }}</dd>
      <dt>
        Headroom {{ headroom }} %
        <button type="button" class="act" aria-label="Change the headroom" @click="emit('headroom')">change</button>
      </dt>
      <dd>{{ sizeFine(lines.headroom_bytes) }}</dd>
      <dt><b>Comfort floor</b></dt>
      <dd :title="exact(row.comfort_floor_bytes ?? 0)">{{ sizeFine(row.comfort_floor_bytes ?? 0) }}</dd>
    </dl>
    <p v-else class="muted">
      {{
        row.change === "made"
          ? "Made new on the target; no content goes over."
          : row.actions.release
            ? `Keeps its size: ${row.actions.release}.`
            : "Keeps its size. Let it go to change it."
      }}
    </p>

    <form v-if="!row.actions.pin" @submit.prevent="pinTyped">
      <!-- plain, since it follows an edge that is drawn: docs/decisions.md -->
      <input
        ref="field"
        v-model="typed"
        class="fig"
        aria-label="Size on the target"
        placeholder="240 GiB"
        :aria-invalid="!!refused"
        maxlength="64"
        @input="dirty = true"
        @keydown.esc="forget"
      />
      <a-button html-type="submit">{{ dirty ? "Set" : "Pin" }}</a-button>
      <a-button :disabled="!!row.actions.grow" :title="row.actions.grow" @click="emit('rest')">Rest here</a-button>
    </form>
    <TroubleLine v-if="refused">{{ refused.message }}</TroubleLine>
    <p v-else-if="!row.actions.pin" class="muted small">Type 240GiB, +20G, used+30% or floor</p>

    <div class="acts">
      <a-button v-if="!row.actions.unpin" size="small" @click="emit('pin')">Take the pin out</a-button>
      <a-button v-if="!row.actions.hold || !row.actions.release" size="small" @click="emit('hold')">
        {{ row.actions.hold ? "Let it go" : "Hold" }}
      </a-button>
      <a-button
        size="small"
        :disabled="!!row.actions.leave && !!row.actions.carry"
        :title="row.actions.leave && row.actions.carry ? row.actions.leave : ''"
        @click="emit('leave')"
      >
        {{ row.carried || row.actions.carry ? "Leave behind" : "Carry again" }}
      </a-button>
      <template v-if="row.carried && partition">
        <a-button
          v-for="way in WAYS"
          :key="way.action"
          size="small"
          :disabled="!!row.actions[way.action]"
          :title="row.actions[way.action]"
          :aria-label="`Move ${row.label} toward the ${way.end}`"
          @click="emit('move', way.steps)"
          >{{ way.sign }}</a-button
        >
      </template>
      <a-button v-if="cleared" size="small" @click="change({ kind: 'cleared', row: row.number, on: false })">
        Count the immovable end
      </a-button>
    </div>
    <form v-if="lines && row.elastic" class="lighten" @submit.prevent="setLighten">
      <label :for="`lighten-${row.number}`">Lighten by</label>
      <a-input
        :id="`lighten-${row.number}`"
        ref="lightenField"
        v-model:value="lighten"
        class="fig"
        size="small"
        placeholder="20GiB"
      />
      <a-button size="small" html-type="submit">Set</a-button>
    </form>
  </section>
</template>

<style scoped>
.row {
  display: grid;
  gap: 7px;
}
.title,
.over,
.lighten {
  display: flex;
  align-items: center;
  gap: 6px;
}
.title h2 {
  flex: 1;
  min-width: 0;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.over {
  justify-content: space-between;
}
.fullness {
  position: relative;
  height: 16px;
  background: color-mix(in srgb, currentColor 20%, transparent);
}
.fullness .used {
  position: absolute;
  inset: 0 auto 0 0;
  background: currentColor;
}
.fullness .mark {
  position: absolute;
  top: -3px;
  bottom: -3px;
  border-left: 2px solid var(--ink);
}
.fullness .dotted {
  border-left-style: dotted;
}
dl {
  display: grid;
  grid-template-columns: 1fr max-content;
  gap: 2px 8px;
  margin: 2px 0;
}
dt {
  color: var(--muted);
}
dt b {
  color: var(--ink);
}
dd {
  margin: 0;
  text-align: right;
  font-family: "IBM Plex Mono", monospace;
}
form:not(.lighten) {
  display: grid;
  grid-template-columns: 1fr max-content max-content;
  gap: 6px;
}
form:not(.lighten) > input {
  min-width: 0;
  box-sizing: border-box;
  height: 32px;
  padding: 4px 11px;
  color: var(--ink);
  background: var(--card);
  border: 1px solid var(--sand);
  border-radius: 6px;
}
form:not(.lighten) > input:hover,
form:not(.lighten) > input:focus {
  border-color: var(--action);
}
form:not(.lighten) > input:focus {
  outline: 0;
  box-shadow: 0 0 0 2px color-mix(in srgb, var(--action) 14%, transparent);
}
form:not(.lighten) > input[aria-invalid="true"] {
  border-color: var(--action);
}
form:not(.lighten) > input::placeholder {
  color: var(--muted);
}
.lighten .ant-input {
  flex: 1;
}
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
}
.act {
  font: inherit;
  font-size: 12px;
  color: var(--action);
  background: none;
  border: 0;
  padding: 0 2px;
  cursor: pointer;
}
.act:hover {
  text-decoration: underline;
}
.small {
  font-size: 12px;
}
</style>
