import { createRouter, createWebHistory } from "vue-router";
import { STAGE_KEYS } from "./stages";
import JobsView from "./views/JobsView.vue";

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: "/", name: "jobs", component: JobsView, meta: { title: "Jobs" } },
    { path: "/settings", name: "settings", component: () => import("./views/SettingsView.vue") },
    { path: "/shelf", name: "shelf", component: () => import("./views/ShelfView.vue") },
    { path: "/fleets", name: "fleets", component: () => import("./views/FleetsView.vue") },
    { path: "/fleets/:id(\\d+)", name: "fleet", component: () => import("./views/FleetView.vue") },
    { path: "/guide", name: "guide", component: () => import("./views/GuideView.vue") },
    { path: "/bench", name: "bench", component: () => import("./views/BenchView.vue") },
    {
      path: `/jobs/:id(\\d+)/:stage(${STAGE_KEYS.join("|")})`,
      name: "job",
      component: () => import("./views/JobView.vue"),
    },
    {
      path: "/jobs/:id(\\d+)/print/:what(sheet|customer)",
      name: "print",
      component: () => import("./views/PrintView.vue"),
    },
    { path: "/:rest(.*)*", name: "nowhere", component: () => import("./views/NowhereView.vue") },
  ],
});
