/** Who is signed in; on a machine by itself nobody has to. */
import { queryOptions } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import { client, data, type Schemas } from "./client";

export type Session = Schemas["SessionModel"];
export type Person = Schemas["PersonModel"];
export type PersonRole = Person["role"];

const session = ref<Session | null>(null);
/** Who asks; null until the server was asked. */
export const who = computed(() => session.value);
export const signedOut = computed(() => !!session.value?.network && !session.value.name);
/** Whether whoever is signed in may do what the role may; the server says so. */
export const may = (role: PersonRole): boolean => session.value?.may.includes(role) ?? true;

client.use({
  onRequest: ({ request }) => {
    if (session.value?.token) request.headers.set("X-Ylemorph-Token", session.value.token);
    return request;
  },
  onResponse: ({ response, request }) => {
    // The session ended meanwhile: ask again who is signed in, and keep the page with what is typed on it.
    if (response.status === 401 && !request.url.endsWith("/api/session") && session.value?.name)
      session.value = { ...session.value, name: "", role: null, may: [], token: "" };
  },
});

export async function askWho(): Promise<Session> {
  return (session.value = await data(client.GET("/api/session")));
}
export async function signIn(name: string, password: string): Promise<void> {
  session.value = await data(client.POST("/api/session", { body: { name, password } }));
}
/** One's own password; every other browser is signed out. */
export async function changeOwnPassword(present: string, password: string): Promise<void> {
  session.value = await data(client.POST("/api/session/password", { body: { present, password } }));
}
export async function signOut(everywhere = false): Promise<void> {
  await data(everywhere ? client.DELETE("/api/session/others") : client.DELETE("/api/session"));
  window.location.assign("/"); // nothing of what was shown stays in this window
}

export const peopleQuery = () =>
  queryOptions({ queryKey: ["people"], queryFn: async () => (await data(client.GET("/api/people"))).people });
export const addPerson = async (body: Schemas["PersonIn"]) => (await data(client.POST("/api/people", { body }))).people;
const one = (person_id: number) => ({ params: { path: { person_id } } });
export const changePerson = async (id: number, body: Schemas["PersonChange"]) =>
  (await data(client.POST("/api/people/{person_id}", { ...one(id), body }))).people;
export const removePerson = (id: number) => data(client.DELETE("/api/people/{person_id}", one(id)));
