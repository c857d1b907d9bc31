// Texts of who is away. They are not part of the first load.

export const absences = {
  tab: "Absences",
  intro:
    "Whoever is away is not called. Their promises, follow-ups, messages and callers go to their deputy's lane until they are back, and they are told what happened meanwhile.",
  who: "Who",
  me: "Me",
  from: "First day",
  fromNoon: "from noon",
  until: "Last day",
  untilNoon: "until noon",
  deputy: "Deputy",
  nobody: "Nobody",
  add: "Add",
  added: "Added",
  list: "Away now and soon",
  none: "Nobody is away.",
  span: (from: string, until: string) => `${from} to ${until}`,
  standsIn: (name: string) => `${name} stands in`,
  noDeputy: "nobody stands in",
  end: "End",
  ended: "Ended",
};
