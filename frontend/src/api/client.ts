/** The typed HTTP client; every failure becomes a ProblemError with one sentence. */
import createClient from "openapi-fetch";
import type { components, paths } from "./schema";

export type Schemas = components["schemas"];
export type Job = Schemas["JobModel"];
export type JobLine = Schemas["JobLine"];
export type Morph = Schemas["MorphModel"];
export type Plan = Schemas["PlanModel"];
export type PlanRow = Schemas["PlanRowModel"];
export type Finding = Schemas["FindingModel"];
export type Remedy = Schemas["RemedyModel"];
export type Card = Schemas["CardModel"];
export type Survey = Schemas["SurveyModel"];
export type Partition = Schemas["PartitionModel"];
export type Problem = Schemas["Problem"];
export type Change = Schemas["ChangeRequest"];
export type Verdict = Plan["verdict"];
export type FitKey = Plan["fit"];
export type Options = Schemas["OptionsModel"];
export type Action = keyof PlanRow["actions"];

export class ProblemError extends Error {
  constructor(readonly problem: Problem) {
    super(sentence(problem));
  }
}

export function sentence(problem: Pick<Problem, "detail" | "mend" | "at">): string {
  const at = problem.at ? ` (${problem.at})` : "";
  const mend = problem.mend ? ` ${problem.mend.charAt(0).toUpperCase()}${problem.mend.slice(1)}.` : "";
  return `${problem.detail}${at}.${mend}`;
}

/** A name for this window, so that another one can be told who changed a job. */
function ownName(): string {
  const known = sessionStorage.getItem("window");
  if (known) return known;
  const made = `window ${Math.floor(1000 + Math.random() * 9000)}`;
  sessionStorage.setItem("window", made);
  return made;
}

export const windowName = ownName();
export const client = createClient<paths>({ baseUrl: window.location.origin, headers: { "X-Window": windowName } });

const UNREACHABLE: Problem = {
  type: "about:blank",
  title: "No answer",
  status: 0,
  detail: "Ylemorph does not answer",
  at: "",
  mend: "check that it is still running, then try again",
  bound_bytes: null,
  job: null,
};

/** The data of an answer, or a ProblemError. */
export async function data<T>(call: Promise<{ data?: T; error?: unknown; response: Response }>): Promise<T> {
  let result;
  try {
    result = await call;
  } catch {
    throw new ProblemError(UNREACHABLE);
  }
  if (result.response.ok) return result.data as T;
  const problem = result.error as Problem | undefined;
  throw new ProblemError(problem && typeof problem === "object" && "detail" in problem ? problem : UNREACHABLE);
}
