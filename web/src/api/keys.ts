// The keys of what is kept from the server, each by its name: whatever is read, changed or read again is named here.
import type { QueryClient, QueryKey } from "@tanstack/react-query";

const named =
  <N extends string>(name: N) =>
  (...of: unknown[]) =>
    [name, ...of] as const;

/** keys gives the key of something, or of what begins with it: keys.round() are all rounds, keys.round(id) is one. */
export const keys = {
  book: named("book"),
  belongings: named("belongings"),
  bookSettings: named("book-settings"),
  briefing: named("briefing"),
  bulk: named("bulk"),
  call: named("call"),
  callScript: named("call-script"),
  calls: named("calls"),
  consents: named("consents"),
  deliveries: named("deliveries"),
  demoPeople: named("demo-people"),
  desk: named("desk"),
  dialIn: named("dial-in"),
  doNotCall: named("do-not-call"),
  draft: named("draft"),
  duplicates: named("duplicates"),
  erasure: named("erasure"),
  find: named("find"),
  firmSetup: named("firm-setup"),
  firstAdmin: named("first-admin"),
  firstSteps: named("first-steps"),
  followUps: named("follow-ups"),
  hanging: named("hanging"),
  history: named("history"),
  imports: named("imports"),
  lane: named("lane"),
  line: named("line"),
  lines: named("lines"),
  lists: named("lists"),
  mailSettings: named("mail-settings"),
  me: named("me"),
  myDay: named("my-day"),
  openapi: named("openapi"),
  outcomePreview: named("outcome-preview"),
  outcomeSettings: named("outcome-settings"),
  outside: named("outside"),
  plan: named("plan"),
  prepared: named("prepared"),
  privacy: named("privacy"),
  proposal: named("proposal"),
  record: named("record"),
  recordingSettings: named("recording-settings"),
  rings: named("rings"),
  roles: named("roles"),
  round: named("round"),
  roundChoices: named("round-choices"),
  roundPreview: named("round-preview"),
  rounds: named("rounds"),
  rows: named("rows"),
  scripts: named("scripts"),
  sequencePreview: named("sequence-preview"),
  sequences: named("sequences"),
  sessions: named("sessions"),
  signInLink: named("sign-in-link"),
  sound: named("sound"),
  sources: named("sources"),
  staff: named("staff"),
  states: named("states"),
  suggested: named("suggested"),
  team: named("team"),
  telephone: named("telephone"),
  templates: named("templates"),
  thread: named("thread"),
  tokens: named("tokens"),
  trail: named("trail"),
  webhooks: named("webhooks"),
  words: named("words"),
  wouldDelete: named("would-delete"),
};

/** refresh has what is shown read again, with all whose keys begin so. */
export function refresh(client: QueryClient, ...begins: QueryKey[]) {
  for (const queryKey of begins) void client.invalidateQueries({ queryKey });
}
