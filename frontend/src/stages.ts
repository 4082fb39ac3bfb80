/** The stages of a job, in their order: the one table for addresses, links, keys and views. */
import type { Component } from "vue";
import type { Job, JobLine } from "./api/client";

export type Stage = JobLine["stage"];

interface StageKind {
  name: string;
  letter: string; // after G
  done: (job: Job) => boolean;
  view: () => Promise<{ default: Component }>;
}

export const STAGES: Record<Stage, StageKind> = {
  source: { name: "Source", letter: "s", done: (job) => !!job.source, view: () => import("./views/SourceStage.vue") },
  target: {
    name: "Target",
    letter: "t",
    done: (job) => !!job.target_head,
    view: () => import("./views/TargetStage.vue"),
  },
  fit: { name: "Fit", letter: "f", done: () => false, view: () => import("./views/FitStage.vue") },
  carry: { name: "Carry out", letter: "c", done: () => false, view: () => import("./views/CarryStage.vue") },
  check: { name: "Check back", letter: "k", done: (job) => job.closed, view: () => import("./views/CheckStage.vue") },
};
export const STAGE_KEYS = Object.keys(STAGES) as Stage[];
