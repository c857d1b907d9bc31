import { useNavigate, useSearch } from "@tanstack/react-router";

import { useBook } from "../book/values";
import { t } from "../messages";
import { Tabs } from "../ui/tabs";
import { DoNotCallSettings } from "./do_not_call";
import { AvailabilitySettings } from "./availability";
import { FieldSettings } from "./fields";
import { LineSettings } from "./lines";
import { SoundSettings } from "../voice/devices";
import { MySettings } from "./my_settings";
import { TemplateSettings } from "./templates";
import { ProgramSettings } from "./programs";
import { ScriptSettings } from "./scripts";
import { SequenceSettings } from "./sequences";
import { OutcomeSettings } from "./outcomes";
import { NumberSettings } from "./number_order";
import { RecordingSettings } from "./recording";
import { PreparedSettings } from "./prepared_messages";

const s = t.book.settings;

/** Settings are what one may set: for the firm, as far as one's rights go, and for oneself. */
export function Settings() {
  const navigate = useNavigate();
  const rights = useBook().rights;
  const search = useSearch({ from: "/frame/settings" });
  const tabs = [
    { key: "me", there: true, part: <MySettings /> },
    { key: "sound", there: true, part: <SoundSettings /> },
    { key: "fields", there: rights.set_up, part: <FieldSettings /> },
    { key: "numbers", there: rights.set_up, part: <NumberSettings /> },
    { key: "lines", there: rights.set_up, part: <LineSettings /> },
    { key: "availability", there: rights.set_up, part: <AvailabilitySettings /> },
    { key: "prepared", there: rights.set_up, part: <PreparedSettings /> },
    { key: "recording", there: rights.set_up, part: <RecordingSettings /> },
    { key: "templates", there: rights.set_up, part: <TemplateSettings /> },
    { key: "sequences", there: rights.set_up, part: <SequenceSettings /> },
    { key: "scripts", there: rights.set_up, part: <ScriptSettings /> },
    { key: "outcomes", there: rights.set_up, part: <OutcomeSettings /> },
    { key: "programs", there: true, part: <ProgramSettings /> },
    { key: "do_not_call", there: rights.import, part: <DoNotCallSettings /> },
  ].filter((x) => x.there);
  const tab = tabs.find((x) => x.key === search.tab) ?? tabs[0];
  return (
    <>
      <h1 className="name mb-3 text-xl">{s.title}</h1>
      <div className="grid grid-cols-[9.5rem_minmax(0,1fr)] gap-6 max-[63.9rem]:grid-cols-1">
        <Tabs
          beside
          label={s.title}
          value={tab?.key ?? "me"}
          onChange={(next) => void navigate({ to: "/settings", search: next === "me" ? {} : { tab: next } })}
          options={tabs.map((x) => ({
            value: x.key,
            label:
              s.tabs[x.key] ??
              (
                {
                  sound: t.voice.menu,
                  prepared: t.voice.prepared.tab,
                  recording: t.voice.rules.tab,
                  templates: t.after.templates.tab,
                  sequences: t.after.sequences.tab,
                  programs: t.after.programs.tab,
                  scripts: t.after.scripts.tab,
                  outcomes: t.after.settings.tab,
                } as Record<string, string>
              )[x.key] ??
              t.in.settings.tabs[x.key] ??
              x.key,
          }))}
        />
        <div className="min-w-0">{tab?.part}</div>
      </div>
    </>
  );
}
