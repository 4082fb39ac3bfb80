import "@fontsource/ibm-plex-sans/latin-400.css";
import "@fontsource/ibm-plex-sans/latin-600.css";
import "@fontsource/ibm-plex-mono/latin-400.css";
import "@fontsource/ibm-plex-mono/latin-600.css";
import "./styles.css";
import { QueryClient, VueQueryPlugin } from "@tanstack/vue-query";
import { createApp } from "vue";
import App from "./App.vue";
import { router } from "./router";

// What the server said is replaced as a whole, never changed in place: nothing is won by watching each of its fields.
const queries = new QueryClient({
  defaultOptions: { queries: { retry: 1, refetchOnWindowFocus: true, shallow: true } },
});
createApp(App).use(router).use(VueQueryPlugin, { queryClient: queries }).mount("#app");
