/** What is handed over in writing: read by what is loaded when it is needed. */
export const written = {
  act: "Hand over in writing…",
  short: "In writing…",
  title: "Hand over in writing",
  hint: "It waits in the queue with what you noted. Whoever takes it goes on with the customer by text or mail.",
  word: "What is to be done",
  withNotes: "Your notes go with it:",
  noNotes: "There are no notes yet: say what it is about.",
  give: "Hand over",
  from: "Written from this call",
  handed: (by: string) => `${by}, handed over from a call`,
  handedLine: (by: string) => `${by} handed the call over in writing:`,
};
