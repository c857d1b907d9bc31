/** Which calls are recorded and for how long: texts of Settings. */
export const recordingRules = {
  tab: "Recordings",
  intro: "Which calls are recorded, and for how long. Each line has its own rules, under Lines.",
  everybody: "Where the law asks for everybody's consent",
  everybodyHint:
    "California, Florida, Illinois, Maryland, Massachusetts, Montana, New Hampshire, Pennsylvania, Washington, and outside the United States, by the area code of either side. This is not legal advice.",
  callDays: "Days that calls are kept",
  messageDays: "Days that messages are kept",
  withoutEnd: "0 keeps them without end",
  would: (n: number, notice: number) =>
    n === 1
      ? `That will delete 1 recording, ${notice} days from now at the earliest.`
      : `That will delete ${n} recordings, ${notice} days from now at the earliest.`,
  expiring: (n: number, first: string) =>
    n === 1 ? `1 recording will be deleted on ${first}.` : `${n} recordings will be deleted, the first on ${first}.`,
  held: "What has to be kept for longer is held on its call's page.",
  untold: "Do not tell reps who listens to them, where the law of both places allows that",
  consultations: "Record what a rep and the person they ask say to each other, as a recording of its own",
  consent: "A prepared message is left only for who agreed to recorded messages",
  reps: "Rules of one person, in place of the line's",
  asLine: "as the line",
  save: "Save",
  saved: "Saved.",
};

export const recordingChoices = {
  on: "Yes",
  announce: "Yes, and both sides are told first",
  ask: "Only when they agree: the rep asks",
  off: "No",
};
