<script setup lang="ts">
/** What a new job begins with, and where this Ylemorph keeps its data. */
import { useQuery, useQueryClient } from "@tanstack/vue-query";
import { reactive, ref, watch } from "vue";
import { settle } from "../api/cache";
import { settingsQuery, writeSettings, type SettingsIn } from "../api/settings";
import { may } from "../api/session";
import DataPanel from "../widgets/DataPanel.vue";
import PeoplePanel from "../widgets/PeoplePanel.vue";
import PickOne from "../widgets/PickOne.vue";
import { useRefusal } from "../widgets/refusal";
import TopBar from "../widgets/TopBar.vue";
import { units } from "../widgets/units";
import TroubleLine from "../widgets/TroubleLine.vue";

const emit = defineEmits<{ keys: [] }>();
const queries = useQueryClient();
const { data: settings, isPending, error, refetch } = useQuery(settingsQuery());
const fields = reactive({ headroom: "", headroom_system: "", headroom_data: "", grain: "" });
const kept = ref(false);

document.title = "Workshop · Ylemorph";

const FIELDS = [
  { key: "headroom", label: "Headroom in percent of the used space", hint: "15" },
  { key: "headroom_system", label: "Headroom of a system row, at least", hint: "5 GiB" },
  { key: "headroom_data", label: "Headroom of a data row, at least", hint: "512 MiB" },
  { key: "grain", label: "Grain: sizes and starts are whole multiples of it", hint: "1 MiB" },
] as const;
const { item, rest, send } = useRefusal(FIELDS.map((field) => field.key));
const UNITS = [
  { value: "binary", label: "GiB, as systems show" },
  { value: "decimal", label: "GB, as on labels" },
] as const;

watch(
  settings,
  (now, before) => {
    // What is being typed stays when another window writes.
    if (now) for (const { key } of FIELDS) if (fields[key] === (before?.[key] ?? "")) fields[key] = now[key];
  },
  { immediate: true },
);

async function write(body: SettingsIn): Promise<void> {
  kept.value = false;
  kept.value = await send(async () => {
    const now = await writeSettings(body);
    await settle(queries, ["settings"], now);
    for (const { key } of FIELDS) if (key in body) fields[key] = now[key];
  });
}
function setUnits(value: "binary" | "decimal"): void {
  units.value = value;
  void write({ units: value });
}
</script>

<template>
  <TopBar @keys="emit('keys')" />
  <main class="stage-page">
    <div class="head">
      <h1>Workshop</h1>
      <span class="muted">what a new job begins with; each job can be changed on its own</span>
    </div>
    <div v-if="isPending" class="card"><a-spin /> Reading the defaults</div>
    <TroubleLine v-else-if="error">
      {{ error.message }} <a-button size="small" @click="refetch()">Try again</a-button>
    </TroubleLine>
    <div v-else-if="settings" class="halves">
      <div>
        <a-form class="card" :model="fields" name="defaults" layout="vertical" @finish="write({ ...fields })">
          <a-form-item
            v-for="field in FIELDS"
            :key="field.key"
            :label="field.label"
            :name="field.key"
            :extra="settings.changed.includes(field.key) ? `the application comes with ${field.hint}` : ''"
            v-bind="item(field.key)"
          >
            <a-input v-model:value="fields[field.key]" class="fig" :placeholder="field.hint" :maxlength="40" />
          </a-form-item>
          <a-form-item label="Units on the screens" html-for="units">
            <PickOne id="units" :model-value="units" :choices="UNITS" @update:model-value="setUnits" />
          </a-form-item>
          <div class="acts">
            <a-button type="primary" html-type="submit" :disabled="!may('workshop')">Keep these</a-button>
            <a-button @click="write({ headroom: '', headroom_system: '', headroom_data: '', grain: '' })">
              As the application comes
            </a-button>
            <span v-if="kept" role="status" class="muted">Kept. New jobs begin with them.</span>
          </div>
          <TroubleLine v-if="rest">{{ rest }}</TroubleLine>
        </a-form>
        <section class="card">
          <h2>This Ylemorph</h2>
          <dl class="pairs">
            <dt>Data folder</dt>
            <dd class="fig">{{ settings.folder }}</dd>
            <dt>Disks may be read by path from</dt>
            <dd class="fig">
              {{ settings.read_from.join(", ") || "nowhere; start with --read-from to allow a folder" }}
            </dd>
            <dt>Version</dt>
            <dd class="fig">{{ settings.version }}</dd>
          </dl>
        </section>
      </div>
      <div v-if="may('workshop')">
        <PeoplePanel />
        <DataPanel />
      </div>
    </div>
  </main>
</template>

<style scoped>
main {
  padding: 14px 20px 40px;
}
.halves {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(min(100%, 480px), 1fr));
  gap: 12px;
  align-items: start;
}
.halves > div {
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 12px;
}
form.card {
  display: grid;
  gap: 10px;
}
form .fig {
  max-width: 180px;
}
.acts {
  display: flex;
  gap: 10px;
  align-items: center;
  margin-top: 4px;
}
section.card {
  display: grid;
  gap: 8px;
}
</style>
