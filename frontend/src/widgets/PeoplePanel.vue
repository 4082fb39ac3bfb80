<script setup lang="ts">
/** Who may sign in, and as what. */
import { useQuery, useQueryClient } from "@tanstack/vue-query";
import { reactive, ref } from "vue";
import { addPerson, changePerson, peopleQuery, removePerson, who, type Person, type PersonRole } from "../api/session";
import LineMenu from "./LineMenu.vue";
import PickOne from "./PickOne.vue";
import { useRefusal } from "./refusal";
import { counted, moment } from "./units";
import TroubleLine from "./TroubleLine.vue";

const queries = useQueryClient();
const { data: people, error } = useQuery(peopleQuery());
const fresh = reactive({ name: "", role: "bench" as PersonRole, password: "" });
const renewing = ref<Person | null>(null);
const renewed = reactive({ password: "" });
const said = ref("");
const adding = useRefusal(["name", "password"]);
const setting = useRefusal(["password"]);
const acting = useRefusal([]);

const ROLES = [
  { value: "workshop", label: "workshop: all" },
  { value: "bench", label: "bench: jobs, shelf and fleets" },
  { value: "look", label: "look: reads" },
] as const;
const ACTS = [
  { key: "password", text: "New password" },
  { key: "remove", text: "Remove" },
] as const;

async function run(refusal: typeof acting, call: () => Promise<unknown>, words: string): Promise<boolean> {
  said.value = "";
  const taken = await refusal.send(call);
  if (taken) said.value = words;
  await queries.invalidateQueries({ queryKey: ["people"] });
  return taken;
}
async function add(): Promise<void> {
  const name = fresh.name.trim();
  const taken = await run(adding, () => addPerson({ ...fresh, name }), `${name} may sign in.`);
  if (taken) fresh.name = fresh.password = "";
}
const setRole = (person: Person, role: PersonRole) =>
  void run(acting, () => changePerson(person.id, { role }), `${person.name} is ${role} now.`);
function act(key: (typeof ACTS)[number]["key"], person: Person): void {
  if (key === "password") renewing.value = person;
  else void run(acting, () => removePerson(person.id), `${person.name} is removed and signed out.`);
}
async function renew(): Promise<void> {
  const person = renewing.value;
  if (!person) return;
  const words = `${person.name} has a new password and is signed out everywhere.`;
  if (await run(setting, () => changePerson(person.id, { ...renewed }), words)) {
    renewing.value = null;
    renewed.password = "";
  }
}
</script>

<template>
  <section class="card" aria-label="People">
    <h2>People</h2>
    <p class="muted">
      {{
        who?.network
          ? "Who signs in here. What each of them changes stands under the name in the history of the job."
          : "On this machine alone nobody signs in. These people can once it serves the network: ylemorph serve --network."
      }}
    </p>
    <TroubleLine v-if="error">{{ error.message }}</TroubleLine>
    <ul v-if="people?.length" class="lines">
      <li v-for="person in people" :key="person.id">
        <div>
          <b>{{ person.name }}</b> <span v-if="person.own" class="muted">you</span>
          <p class="muted">
            since {{ moment(person.created_at) }},
            {{ person.sessions ? `signed in in ${counted(person.sessions, "browser")}` : "not signed in" }}
          </p>
        </div>
        <PickOne
          :model-value="person.role"
          :choices="ROLES"
          :label="`Role of ${person.name}`"
          @update:model-value="(role) => setRole(person, role)"
        />
        <LineMenu :label="`More for ${person.name}`" :items="ACTS" @choose="(key) => act(key, person)" />
      </li>
    </ul>
    <p v-else-if="people">Nobody yet. The first one needs the role workshop.</p>
    <a-form v-if="renewing" :model="renewed" name="renewed" layout="vertical" @finish="renew">
      <a-form-item :label="`New password of ${renewing.name}`" name="password" v-bind="setting.item('password')">
        <a-input v-model:value="renewed.password" type="password" autocomplete="new-password" :maxlength="200" />
      </a-form-item>
      <a-button html-type="submit" :disabled="!renewed.password">Set</a-button>
      <a-button @click="renewing = null">Leave it</a-button>
    </a-form>
    <TroubleLine v-if="setting.rest.value">{{ setting.rest.value }}</TroubleLine>
    <a-form :model="fresh" name="person" layout="vertical" @finish="add">
      <a-form-item label="Name" name="name" v-bind="adding.item('name')">
        <a-input v-model:value="fresh.name" autocomplete="off" :maxlength="80" />
      </a-form-item>
      <a-form-item label="Role">
        <PickOne v-model="fresh.role" :choices="ROLES" label="Role of the new one" />
      </a-form-item>
      <a-form-item label="Password" name="password" v-bind="adding.item('password')">
        <a-input
          v-model:value="fresh.password"
          type="password"
          autocomplete="new-password"
          placeholder="a few words"
          :maxlength="200"
        />
      </a-form-item>
      <a-button html-type="submit" :disabled="!fresh.name.trim() || !fresh.password">Add</a-button>
    </a-form>
    <p v-if="said" role="status">{{ said }}</p>
    <TroubleLine v-for="words in [adding.rest.value, acting.rest.value].filter(Boolean)" :key="words">
      {{ words }}
    </TroubleLine>
  </section>
</template>

<style scoped>
section {
  display: grid;
  gap: 10px;
}
form {
  display: flex;
  gap: 10px;
  align-items: end;
  flex-wrap: wrap;
}
form .ant-input {
  width: 190px;
}
</style>
