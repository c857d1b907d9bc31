/** Times from which somebody chooses by answering a text message. */
export const offerTimes = {
  open: "Let them choose a time by text",
  to: (to: string) => `To ${to}:`,
  send: "Send it",
  sent: "On its way. Their answer sets the time by itself",
  offered: (when: string) => `Times were offered ${when} and not answered yet. A new offer takes its place.`,
  chosen: (when: string) => `They chose ${when}.`,
};
