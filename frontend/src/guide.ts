/** The guide: the pages of `docs/` that a technician reads, in sections that can be searched. */
import { marked } from "marked";

const files = import.meta.glob<string>("../../docs/{guide,rules,reading,carry-out,buying,network}.md", {
  query: "?raw",
  import: "default",
  eager: true,
});
const ORDER = ["guide", "rules", "reading", "carry-out", "buying", "network"];

export interface Section {
  page: string;
  id: string;
  title: string;
  depth: number;
  html: string;
  words: string;
}

const slug = (text: string) =>
  text
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, "-")
    .replace(/^-|-$/g, "");

/** Links between the pages lead inside the guide; those to other files are plain text here. */
const inside = (html: string) =>
  html
    .replace(/<a href="([a-z-]+)\.md"/g, (whole, page: string) => (ORDER.includes(page) ? `<a href="#${page}"` : whole))
    .replaceAll("<pre>", '<pre tabindex="0">') // wide ones are scrolled, by keys too
    .replace(/<a href="(?!#)[^"]*">(.*?)<\/a>/g, "$1");

function sections(page: string, text: string): Section[] {
  return text
    .split(/^(?=#{1,2} )/m)
    .filter((part) => part.trim())
    .map((part) => {
      const [, marks = "#", title = page] = /^(#+) (.*)$/m.exec(part) ?? [];
      const body = part.replace(/^#+ .*$/m, "");
      const html = inside(marked.parse(body, { async: false }));
      const words = `${title} ${html.replace(/<[^>]*>/g, " ")}`.toLowerCase();
      const id = marks.length === 1 ? page : `${page}-${slug(title)}`;
      return { page, id, title: title.replace(/`/g, ""), depth: marks.length, html, words };
    });
}

export const GUIDE: Section[] = ORDER.flatMap((page) => {
  const found = Object.entries(files).find(([path]) => path.endsWith(`/${page}.md`));
  return found ? sections(page, found[1]) : [];
});

/** Sections that hold every word of the question. */
export function search(question: string): Section[] {
  const words = question.toLowerCase().split(/\s+/).filter(Boolean);
  return GUIDE.filter((section) => words.every((word) => section.words.includes(word)));
}
