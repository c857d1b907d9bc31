import { useNavigate, useSearch } from "@tanstack/react-router";
import { useState } from "react";

import { useRights } from "../api/rights";
import { t } from "../texts";
import { insight } from "../texts/insight";
import { recordingRules } from "../texts/recording";
import { Field } from "../ui/field";
import { Tabs } from "../ui/tabs";
import { DoNotCallSettings } from "./do_not_call";
import { AbsenceSettings } from "./absences";
import { AvailabilitySettings } from "./availability";
import { FieldSettings } from "./fields";
import { IdentityProviderSettings } from "./identity_provider";
import { FirmSettings } from "./firm";
import { LineHealth } from "./line_health";
import { LineSettings } from "./lines";
import { SoundSettings } from "../calls/devices";
import { MySettings } from "./my_settings";
import { TemplateSettings } from "./templates";
import { TrailSettings } from "./trail";
import { ProgramSettings } from "./programs";
import { ScorecardSettings } from "./scorecards";
import { ScriptSettings } from "./scripts";
import { TopicSettings } from "./topics";
import { SequenceSettings } from "./sequences";
import { OutcomeSettings } from "./outcomes";
import { NumberSettings } from "./number_order";
import { QueueSettings } from "./queue_settings";
import { RecordingSettings } from "./recording";
import { RouteSettings } from "./routes";
import { PreparedSettings } from "./prepared_messages";
import { PrivacySettings } from "./privacy";
import { RoleSettings } from "./roles";
import { UsageSettings } from "./usage";
import { StaffSettings } from "./staff";
import { SurveySettings } from "./survey";
import { WebFormSettings } from "./web_forms";
import { firm, staff, trail } from "../texts/staff";
import { health } from "../texts/line_health";
import { usage } from "../texts/usage";
import { absences } from "../texts/absences";
import { privacy } from "../texts/privacy";
import { queues } from "../texts/queues";
import { roles } from "../texts/roles";
import { routes } from "../texts/routes";
import { survey } from "../texts/survey";
import { waysIn } from "../texts/ways_in";
import { webForms } from "../texts/web_forms";

const s = t.book.settings;
const g = t.after.settingGroups;

type Part = { key: string; there: boolean; part: React.JSX.Element };

const labels: Record<string, string> = {
  ...t.in.settings.tabs,
  ...s.tabs,
  firm: firm.tab,
  trail: trail.tab,
  staff: staff.tab,
  roles: roles.tab,
  usage: usage.tab,
  health: health.tab,
  absences: absences.tab,
  privacy: privacy.tab,
  queues: queues.tab,
  routes: routes.tab,
  survey: survey.tab,
  signing_in: waysIn.provider.tab,
  forms: webForms.tab,
  sound: t.voice.menu,
  prepared: t.voice.prepared.tab,
  recording: recordingRules.tab,
  templates: t.after.templates.tab,
  sequences: t.after.sequences.tab,
  programs: t.after.programs.tab,
  scripts: t.after.scripts.tab,
  topics: insight.topics.title,
  scorecards: insight.cards.title,
  outcomes: t.after.settings.tab,
};
const about: Record<string, string> = {
  ...g.about,
  queues: queues.about,
  routes: routes.about,
  survey: survey.about,
  signing_in: waysIn.provider.about,
  forms: webForms.about,
  topics: insight.topics.help,
  scorecards: insight.cards.help,
};
const labelOf = (key: string) => labels[key] ?? key;

/** Settings are what one may set: for the firm, as far as one's rights go, and for oneself. */
export function Settings() {
  const navigate = useNavigate();
  const { may } = useRights();
  const search = useSearch({ from: "/frame/settings" });
  const [sought, setSought] = useState("");
  const groups: { name: keyof typeof g.groups; parts: Part[] }[] = [
    {
      name: "mine",
      parts: [
        { key: "me", there: true, part: <MySettings /> },
        { key: "absences", there: true, part: <AbsenceSettings /> },
        { key: "sound", there: true, part: <SoundSettings /> },
      ],
    },
    {
      name: "people",
      parts: [
        { key: "firm", there: may("set_up_firm"), part: <FirmSettings /> },
        { key: "staff", there: may("staff"), part: <StaffSettings /> },
        { key: "roles", there: may("roles"), part: <RoleSettings /> },
        { key: "signing_in", there: may("roles"), part: <IdentityProviderSettings /> },
        { key: "privacy", there: may("privacy"), part: <PrivacySettings /> },
        { key: "usage", there: may("see_use"), part: <UsageSettings /> },
        { key: "trail", there: may("see_trail"), part: <TrailSettings /> },
        { key: "availability", there: may("telephony"), part: <AvailabilitySettings /> },
      ],
    },
    {
      name: "telephony",
      parts: [
        { key: "lines", there: may("telephony"), part: <LineSettings /> },
        { key: "routes", there: may("telephony"), part: <RouteSettings /> },
        { key: "queues", there: may("telephony"), part: <QueueSettings /> },
        { key: "forms", there: may("telephony"), part: <WebFormSettings /> },
        { key: "survey", there: may("telephony"), part: <SurveySettings /> },
        { key: "health", there: may("telephony"), part: <LineHealth /> },
        { key: "prepared", there: may("telephony"), part: <PreparedSettings /> },
        { key: "recording", there: may("telephony"), part: <RecordingSettings /> },
      ],
    },
    {
      name: "calls",
      parts: [
        { key: "outcomes", there: may("outcomes"), part: <OutcomeSettings /> },
        { key: "scripts", there: may("scripts"), part: <ScriptSettings /> },
        { key: "topics", there: may("coaching"), part: <TopicSettings /> },
        { key: "scorecards", there: may("coaching"), part: <ScorecardSettings /> },
      ],
    },
    {
      name: "writing",
      parts: [
        { key: "templates", there: may("templates"), part: <TemplateSettings /> },
        { key: "sequences", there: may("sequences"), part: <SequenceSettings /> },
      ],
    },
    {
      name: "book",
      parts: [
        { key: "fields", there: may("fields"), part: <FieldSettings /> },
        { key: "numbers", there: may("fields"), part: <NumberSettings /> },
        { key: "do_not_call", there: may("import"), part: <DoNotCallSettings /> },
      ],
    },
    { name: "connections", parts: [{ key: "programs", there: true, part: <ProgramSettings /> }] },
  ];
  const all = groups.flatMap((x) => x.parts).filter((x) => x.there);
  const tab = all.find((x) => x.key === search.tab) ?? all[0];
  const words = sought.toLowerCase().split(/\s+/).filter(Boolean);
  const fits = (x: Part, group: string) => {
    const text = `${group} ${labelOf(x.key)} ${about[x.key] ?? ""}`.toLowerCase();
    return words.every((w) => text.includes(w));
  };
  const shown = groups
    .map((x) => ({ ...x, parts: x.parts.filter((p) => p.there && fits(p, g.groups[x.name])) }))
    .filter((x) => x.parts.length > 0);
  const go = (next: string) => void navigate({ to: "/settings", search: next === "me" ? {} : { tab: next } });
  return (
    <>
      <h1 className="name mb-3 text-xl">{s.title}</h1>
      <div className="grid grid-cols-[10.5rem_minmax(0,1fr)] gap-6 max-[63.9rem]:grid-cols-1">
        <nav aria-label={s.title} className="flex flex-col gap-3">
          <Field
            label={g.search}
            hidden
            placeholder={g.search}
            type="search"
            value={sought}
            onChange={(e) => {
              setSought(e.target.value);
            }}
            onKeyDown={(e) => {
              const first = shown[0]?.parts[0];
              if (e.key === "Enter" && words.length > 0 && first) go(first.key);
            }}
          />
          {shown.map((x) => (
            <section key={x.name} aria-label={g.groups[x.name]}>
              <h2 className="text-sm text-quiet">{g.groups[x.name]}</h2>
              <Tabs
                beside
                label={g.groups[x.name]}
                value={tab?.key ?? "me"}
                onChange={go}
                options={x.parts.map((p) => ({ value: p.key, label: labelOf(p.key) }))}
              />
            </section>
          ))}
          {shown.length === 0 && <p className="text-sm text-quiet">{g.none}</p>}
        </nav>
        <div className="min-w-0">{tab?.part}</div>
      </div>
    </>
  );
}
