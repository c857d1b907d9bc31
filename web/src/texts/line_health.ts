// Texts of how often a line's calls are answered. They are not part of the first load.

export const health = {
  tab: "Answer rates",
  intro:
    "How often people answered in the last 28 days, by the number that they saw. Numbers are compared by calls of the same hours, lists and colleagues; the bar shows where the rate lies with a certainty of 95 in 100.",
  line: "Line",
  made: "Calls",
  rate: "Answered",
  few: "too few calls to say more",
  between: (low: string, high: string) => `between ${low} and ${high}`,
  falls:
    "People answer this number less often than calls like these are answered. It may have been reported as unwanted: let it rest.",
  rest: "Rest for a week",
  rests: (until: string) => `rests until ${until}`,
  wake: "Show again",
  resting: (label: string) => `${label} is not shown for a week`,
  awake: (label: string) => `${label} is shown again`,
  none: "There are no lines.",
};
