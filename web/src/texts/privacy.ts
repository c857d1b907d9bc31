// Texts of privacy: what is kept about a person, and for how long. They are not part of the first load.

const things = (n: number, one: string, many: string) =>
  n === 0 ? [] : [n === 1 ? `1 ${one}` : `${String(n)} ${many}`];

export const privacy = {
  tab: "Privacy",
  intro:
    "For how long things are kept, who must not be erased, and who was. To erase somebody, or to give them all that is kept about them, open their record: More, Privacy.",
  keeping: "How long things are kept",
  keepingText:
    "In days; 0 keeps for good. What belongs to somebody on a legal hold stays. Recordings have their own page.",
  retention: {
    note_days: "Notes of filed calls",
    message_days: "Texts and mails, with their files",
    call_days: "The number a call was with (the call stays in the figures)",
    import_days: "Imported files",
    trail_days: "Entries of the audit trail",
  },
  save: "Save",
  saved: "Saved",
  holds: "Legal holds",
  noHolds: "Nobody is on a legal hold.",
  held: (by: string, when: string) => `by ${by}, ${when}`,
  release: "Release",
  released: (name: string) => `${name} is released`,
  erasures: "Erased persons",
  noErasures: "Nobody was erased.",
  states: { running: "going on", done: "done", failed: "failed" },
  asked: (by: string, when: string) => `asked for by ${by}, ${when}`,

  title: (name: string) => `Privacy of ${name}`,
  everything: "Download everything about them",
  everythingText: "A ZIP file to hand over: what is known, calls and notes, messages, recordings and transcripts.",
  hold: "Legal hold",
  holdText: "Keeps them from being erased, and their things from being deleted in their time.",
  holdButton: "Put on hold",
  heldNow: (name: string) => `${name} is on a legal hold`,
  erase: "Erase",
  eraseText: "Everything that tells who they were is gone for good, here and in texts about others. The figures stay.",
  eraseButton: "Erase for good",
  eraseSure: (name: string) => `Erase ${name} now? This cannot be undone.`,
  erasing: "It is being erased …",
  erased: (name: string) => `${name} is erased`,
  goes: (p: { calls: number; notes: number; recordings: number; messages: number; follow_ups: number }) => {
    const all = [
      ...things(p.calls, "call", "calls"),
      ...things(p.notes, "note", "notes"),
      ...things(p.recordings, "recording", "recordings"),
      ...things(p.messages, "message", "messages"),
      ...things(p.follow_ups, "follow-up", "follow-ups"),
    ];
    return all.length === 0 ? "They have no calls, notes or messages." : `It concerns ${all.join(", ")}.`;
  },
  against: (why: string) => `They cannot be erased: ${why}.`,
  inCall: "they are on the phone right now",
  sharedName: "Somebody else has the same name, so it stays where texts about others mention it.",
  sharedNumbers: "A number that others have too stays with these.",
  holdReason: "Why everything has to be kept",
  eraseReason: "Why they are erased",
  close: "Close",
};

export const consent = {
  title: (name: string) => `Consent of ${name}`,
  text: "To what they agreed, and when and how they said so. Who no longer agrees is not called, written to or recorded.",
  what: { calls: "Calls", texts: "Texts", mails: "Mails", recordings: "Recording" },
  label: "What",
  how: "How they told us",
  howExample: "on the phone, in a form, in a mail",
  gives: "They agree",
  withdraws: "They no longer agree",
  noted: "Noted",
  none: "Nothing was noted yet.",
  line: (what: string, given: boolean) => `${what}: ${given ? "agrees" : "no longer agrees"}`,
  by: (how: string, by: string, when: string) => `${how} · noted by ${by}, ${when}`,
};
