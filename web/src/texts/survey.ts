// Texts of the survey. They are not part of the first load.

export const survey = {
  tab: "Survey",
  about: "satisfaction score recommend customer feedback questions remark",
  intro:
    "Once the rep has hung up, customers can answer a few questions by keys, and say a remark. The score is on their record at once, at their next ring, and routes can use it.",
  active: "ask customers after conversations",
  lines: "On which lines",
  everyLine: "all lines",
  addLine: "Add a line",
  removeLine: (name: string) => `Remove ${name}`,
  share: "Share of callers who are asked, in percent",
  everyDays: "Days until the same person is asked again",
  hello: "First words",
  thanks: "Last words",
  question: (n: number) => `Question ${String(n)}`,
  kind: (n: number) => `How question ${String(n)} is answered`,
  kinds: { score: "0 to 10", yes_no: "1 yes, 2 no", remark: "a spoken remark" } as Record<string, string>,
  add: "Add a question",
  remove: (n: number) => `Remove question ${String(n)}`,
  byText: "ask by text message whoever has not answered by keys",
  text: "The message; it asks for a number from 0 to 10",
  textWhy: "What follows the number; their next message is the remark",
  save: "Save",
  saved: "Saved",
  title: "What they said about it",
  play: "Play the remark",
};
