/** Reading a survey that was dropped, picked or pasted. */
import { readSurvey } from "../api/jobs";
import type { Survey } from "../api/client";

const MOST_BYTES = 8_000_000;

export async function surveyFromFile(file: File): Promise<Survey> {
  if (file.size > MOST_BYTES) {
    const mb = Math.round(file.size / 1e6).toLocaleString("en");
    throw new Error(`${file.name} has ${mb} MB, a survey at most 8 MB. Check that it is the right file.`);
  }
  let text: string;
  try {
    text = await file.text();
  } catch {
    throw new Error(`${file.name} cannot be read. A folder cannot be dropped here; pick the file itself.`);
  }
  try {
    return await readSurvey(text);
  } catch (error) {
    throw new Error(`${file.name}: ${(error as Error).message}`, { cause: error });
  }
}
