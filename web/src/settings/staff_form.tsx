import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";

import { api, ask, Failure, newKey, type Schemas } from "../api/client";
import { keys, refresh } from "../api/keys";
import { queries } from "../api/queries";
import { t } from "../texts";
import { about } from "../texts/roles";
import { factor, staff as s } from "../texts/staff";
import { Button } from "../ui/button";
import { Dialog } from "../ui/dialog";
import { Field, Select } from "../ui/field";
import { useTell } from "../ui/toast";
import { type Member, useRoleName } from "./staff";

type Edit = Schemas["MemberEdit"];

const shown = ["name", "login", "role", "team", "zone", "extension", "mail"] as const;

const editOf = (m: Member): Edit => ({
  name: m.name,
  login: m.login,
  role: m.role,
  team: m.team,
  zone: m.zone,
  extension: m.extension,
  mail: m.mail,
  more_teams: m.more_teams,
  languages: m.languages,
  skills: m.skills,
  ...(m.line_id ? { line_id: m.line_id } : {}),
  version: m.version,
});

/** differing says what somebody else has changed of what was read. */
function differing(read: Member, now: Member, nameOf: (role: string) => string): string {
  return shown
    .filter((f) => read[f] !== now[f])
    .map((f) => s.was(s[f], (f === "role" ? nameOf(now.role) : now[f]) || s.empty))
    .join("; ");
}

/** MemberForm is what is known of a colleague, or of somebody who is to be one. What was typed stays when a colleague has saved first. */
export function MemberForm({
  member,
  teams,
  onClose,
  onAdded,
}: {
  member: Member | undefined;
  teams: string[];
  onClose: () => void;
  onAdded: (member: Member) => void;
}) {
  const client = useQueryClient();
  const tell = useTell();
  const me = useQuery(queries.me).data;
  const lines = useQuery(queries.lines).data ?? [];
  const roles = useQuery(queries.roles).data?.roles ?? [];
  const nameOf = useRoleName();
  const [key] = useState(newKey);
  const [theirs, setTheirs] = useState("");
  const [draft, setDraft] = useState<Edit>(() =>
    member
      ? editOf(member)
      : { name: "", login: "", role: "rep", team: "", zone: me?.zone ?? "", extension: "", mail: "" },
  );
  const [loginTyped, setLoginTyped] = useState(member !== undefined);
  const save = useMutation({
    mutationFn: () =>
      member
        ? ask(api.PUT("/api/staff/{id}", { params: { path: { id: member.id } }, body: draft }))
        : ask(api.POST("/api/staff", { params: { header: { "Idempotency-Key": key } }, body: draft })),
    onSuccess: (saved) => {
      refresh(client, keys.staff(), keys.team());
      if (member) {
        tell(s.saved);
        onClose();
      } else {
        tell(s.added(saved.name));
        onAdded(saved);
      }
    },
    onError: async (e) => {
      if (!member || !(e instanceof Failure) || e.code !== "stale_version") return;
      const now = (await client.fetchQuery({ ...queries.staff, staleTime: 0 })).members.find((m) => m.id === member.id);
      if (!now) return;
      setTheirs(differing(member, now, nameOf));
      setDraft((d) => ({ ...d, version: now.version }));
    },
  });
  const failure = save.error instanceof Failure ? save.error : undefined;
  const wrong = (field: string) => (failure?.problem?.field === field ? failure.message : undefined);
  const known = [...shown, "line_id", "languages", "skills"].some((f) => f === failure?.problem?.field);
  const set = (change: Partial<Edit>) => {
    setDraft((d) => ({ ...d, ...change }));
  };
  const text = (field: "name" | "login" | "team" | "zone" | "extension" | "mail") => ({
    label: s[field],
    value: draft[field],
    problem: wrong(field),
    onChange: (e: React.ChangeEvent<HTMLInputElement>) => {
      set({ [field]: e.target.value });
    },
  });
  const submit = (e: FormEvent) => {
    e.preventDefault();
    if (!save.isPending) save.mutate();
  };
  return (
    <Dialog open onClose={onClose} title={member ? s.edit(member.name) : s.add}>
      <form onSubmit={submit} className="grid grid-cols-2 gap-x-4 gap-y-3" data-testid="member-form">
        <Field
          {...text("name")}
          maxLength={200}
          required
          autoComplete="off"
          onChange={(e) => {
            const name = e.target.value;
            const login = loginTyped ? {} : { login: name.trim().split(/\s+/)[0]?.toLowerCase() ?? "" };
            set({ name, ...login });
          }}
        />
        <Field
          {...text("login")}
          maxLength={100}
          required
          autoComplete="off"
          title={s.loginHelp}
          onChange={(e) => {
            setLoginTyped(true);
            set({ login: e.target.value });
          }}
        />
        <div>
          <Select
            label={s.role}
            value={draft.role}
            onChange={(e) => {
              set({ role: e.target.value });
            }}
          >
            {roles.map((r) => (
              <option key={r.key} value={r.key}>
                {r.name}
              </option>
            ))}
          </Select>
          {wrong("role") && (
            <p role="alert" className="text-sm text-ending">
              {wrong("role")}
            </p>
          )}
        </div>
        <Field {...text("team")} maxLength={100} list="teams" />
        <datalist id="teams">
          {teams.map((x) => (
            <option key={x} value={x} />
          ))}
        </datalist>
        <ListField
          label={about.moreTeams}
          title={about.moreTeamsHelp}
          example={about.moreTeamsExample}
          value={draft.more_teams?.join(", ") ?? ""}
          onTyped={(all) => {
            set({ more_teams: all });
          }}
        />
        <ListField
          label={about.languages}
          title={about.languagesHelp}
          example={about.languagesExample}
          value={draft.languages?.join(", ") ?? ""}
          problem={wrong("languages")}
          onTyped={(all) => {
            set({ languages: all });
          }}
        />
        <ListField
          label={about.skills}
          title={about.skillsHelp}
          example={about.skillsExample}
          value={Object.entries(draft.skills ?? {})
            .map(([skill, level]) => `${skill} ${String(level)}`)
            .join(", ")}
          problem={wrong("skills")}
          onTyped={(all) => {
            set({ skills: Object.fromEntries(all.map(skillOf)) });
          }}
        />
        <Field {...text("mail")} type="email" maxLength={320} title={s.mailHelp} autoComplete="off" />
        <Field {...text("extension")} maxLength={20} inputMode="numeric" />
        <Select
          label={s.line}
          value={draft.line_id ?? ""}
          onChange={(e) => {
            const { line_id: former, ...rest } = draft;
            if (e.target.value !== former) setDraft(e.target.value ? { ...rest, line_id: e.target.value } : rest);
          }}
        >
          <option value="">{s.mainLine}</option>
          {lines
            .filter((l) => l.active || l.id === draft.line_id)
            .map((l) => (
              <option key={l.id} value={l.id}>
                {l.label}
              </option>
            ))}
        </Select>
        <Field {...text("zone")} maxLength={100} required list="zones" />
        <datalist id="zones">
          {Intl.supportedValuesOf("timeZone").map((x) => (
            <option key={x} value={x} />
          ))}
        </datalist>
        {member && !member.invited && <SignOut member={member} />}
        {member?.second_factor && <ResetFactor member={member} onDone={onClose} />}
        {theirs && (
          <p role="alert" className="col-span-2 text-sm text-ending">
            {s.conflict(theirs)}
          </p>
        )}
        {failure && !known && !theirs && (
          <p role="alert" className="col-span-2 text-sm text-ending">
            {failure.message}
          </p>
        )}
        <div className="col-span-2 mt-2 flex justify-end gap-2">
          <Button onClick={onClose}>{t.cancel}</Button>
          <Button type="submit" look="ours" disabled={save.isPending}>
            {member ? s.save : s.add}
          </Button>
        </div>
      </form>
    </Dialog>
  );
}

/** skillOf reads "pumps 3" as what somebody knows and how well; without a number it is some. */
function skillOf(text: string): [string, number] {
  const [, skill, level] = /^(.*?)\s*([1-3])?$/.exec(text) ?? [];
  return [skill ?? text, Number(level ?? 1)];
}

/** ListField takes several things parted by commas; what is being typed stays as it is. */
function ListField({
  label,
  value,
  title,
  example,
  problem,
  onTyped,
}: {
  label: string;
  value: string;
  title: string;
  example: string;
  problem?: string | undefined;
  onTyped: (all: string[]) => void;
}) {
  const [text, setText] = useState(value);
  return (
    <Field
      label={label}
      title={title}
      placeholder={example}
      value={text}
      problem={problem}
      maxLength={1000}
      autoComplete="off"
      onChange={(e) => {
        setText(e.target.value);
        onTyped(
          e.target.value
            .split(",")
            .map((x) => x.trim())
            .filter(Boolean),
        );
      }}
    />
  );
}

/** SignOut ends all sessions of a colleague: a window was left open somewhere, a telephone was lost. */
function SignOut({ member }: { member: Member }) {
  const tell = useTell();
  const end = useMutation({
    mutationFn: () => ask(api.DELETE("/api/staff/{id}/sessions", { params: { path: { id: member.id } } })),
    onSuccess: () => {
      tell(s.signOutDone(member.name));
    },
    onError: (e) => {
      tell(e.message, { bad: true });
    },
  });
  return (
    <p className="col-span-2 flex items-center gap-3 text-sm text-quiet">
      <span className="min-w-0 flex-1">{s.signOutText}</span>
      <Button
        disabled={end.isPending}
        onClick={() => {
          end.mutate();
        }}
      >
        {s.signOut}
      </Button>
    </p>
  );
}

/** ResetFactor takes the second factor of a colleague away who has lost it. */
function ResetFactor({ member, onDone }: { member: Member; onDone: () => void }) {
  const client = useQueryClient();
  const tell = useTell();
  const reset = useMutation({
    mutationFn: () => ask(api.DELETE("/api/staff/{id}/second-factor", { params: { path: { id: member.id } } })),
    onSuccess: () => {
      tell(factor.resetDone(member.name));
      refresh(client, keys.staff());
      onDone();
    },
    onError: (e) => {
      tell(e.message, { bad: true });
    },
  });
  return (
    <p className="col-span-2 flex items-center gap-3 text-sm text-quiet">
      <span className="min-w-0 flex-1">{factor.resetText}</span>
      <Button
        disabled={reset.isPending}
        onClick={() => {
          reset.mutate();
        }}
      >
        {factor.reset}
      </Button>
    </p>
  );
}
