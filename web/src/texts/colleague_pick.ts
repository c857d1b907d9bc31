/** Where somebody of the firm is chosen. */
export const colleaguePick = {
  find: "Name, team or extension",
  nobody: "Nobody of that name.",
  past: (name: string) => `${name}, no longer here`,
  since: (since: string) => `since ${since}`,
};
