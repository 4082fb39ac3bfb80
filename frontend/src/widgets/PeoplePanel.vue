<script setup lang="ts">
/** Who may sign in, and as what. */
import { useQuery, useQueryClient } from "@tanstack/vue-query";
import { reactive, ref } from "vue";
import { addPerson, changePerson, peopleQuery, removePerson, who, type Person, type PersonRole } from "../api/session";
import LineMenu from "./LineMenu.vue";
import PickOne from "./PickOne.vue";
import { counted, moment } from "./units";
import TroubleLine from "./TroubleLine.vue";

const queries = useQueryClient();
const { data: people, error } = useQuery(peopleQuery());
const fresh = reactive({ name: "", role: "bench" as PersonRole, password: "" });
const renewing = ref<Person | null>(null);
const password = ref("");
const said = ref("");
const refused = ref("");

const ROLES = [
  { value: "workshop", label: "workshop: all" },
  { value: "bench", label: "bench: jobs, shelf and fleets" },
  { value: "look", label: "look: reads" },
] as const;
const ACTS = [
  { key: "password", text: "New password" },
  { key: "remove", text: "Remove" },
] as const;

async function run(call: () => Promise<unknown>, words: string): Promise<boolean> {
  refused.value = said.value = "";
  try {
    await call();
    said.value = words;
    return true;
  } catch (failure) {
    refused.value = (failure as Error).message;
    return false;
  } finally {
    await queries.invalidateQueries({ queryKey: ["people"] });
  }
}
async function add(): Promise<void> {
  const name = fresh.name.trim();
  if (await run(() => addPerson({ ...fresh, name }), `${name} may sign in.`)) fresh.name = fresh.password = "";
}
const setRole = (person: Person, role: PersonRole) =>
  void run(() => changePerson(person.id, { role }), `${person.name} is ${role} now.`);
function act(key: (typeof ACTS)[number]["key"], person: Person): void {
  if (key === "password") renewing.value = person;
  else void run(() => removePerson(person.id), `${person.name} is removed and signed out.`);
}
async function renew(): Promise<void> {
  const person = renewing.value;
  if (!person) return;
  const words = `${person.name} has a new password and is signed out everywhere.`;
  if (await run(() => changePerson(person.id, { password: password.value }), words)) {
    renewing.value = null;
    password.value = "";
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
    <form v-if="renewing" @submit.prevent="renew">
      <label for="renewed">New password of {{ renewing.name }}</label>
      <a-input id="renewed" v-model:value="password" type="password" autocomplete="new-password" :maxlength="200" />
      <a-button html-type="submit" :disabled="!password">Set</a-button>
      <a-button @click="renewing = null">Leave it</a-button>
    </form>
    <form @submit.prevent="add">
      <label>Name <a-input v-model:value="fresh.name" autocomplete="off" :maxlength="80" /></label>
      <label>Role <PickOne v-model="fresh.role" :choices="ROLES" label="Role of the new one" /></label>
      <label>
        Password
        <a-input
          v-model:value="fresh.password"
          type="password"
          autocomplete="new-password"
          placeholder="a few words"
          :maxlength="200"
        />
      </label>
      <a-button html-type="submit" :disabled="!fresh.name.trim() || !fresh.password">Add</a-button>
    </form>
    <p v-if="said" role="status">{{ said }}</p>
    <TroubleLine v-if="refused">{{ refused }}</TroubleLine>
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
form label {
  display: grid;
  gap: 3px;
}
form .ant-input {
  width: 190px;
}
form select {
  height: 32px;
}
</style>
