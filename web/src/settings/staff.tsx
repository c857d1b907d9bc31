import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask, type Schemas } from "../api/client";
import { keys, refresh } from "../api/keys";
import { queries } from "../api/queries";
import { many, staff as s } from "../texts/staff";
import { Button } from "../ui/button";
import { Badge } from "../ui/chip";
import { Field } from "../ui/field";
import { Empty, Failed, Loading } from "../ui/states";
import { clockTime, dayShort } from "../ui/times";
import { useTell } from "../ui/toast";
import { LinkDialog } from "./staff_link";
import { MemberForm } from "./staff_form";
import { ManyDialog } from "./staff_many";
import { OffDialog } from "./staff_off";

export type Member = Schemas["Member"];
type Asked = { what: "edit" | "link" | "off" | "many"; member?: Member };

const when = (at: string) => `${dayShort(at)} ${clockTime(at)}`;

/** useRoleName gives a role's name for its key. */
export function useRoleName() {
  const roles = useQuery(queries.roles).data?.roles ?? [];
  return (key: string) => roles.find((r) => r.key === key)?.name ?? "";
}

/** StaffSettings are those who sign in: added, changed, given a link, switched off and on. */
export function StaffSettings() {
  const staff = useQuery(queries.staff);
  const nameOf = useRoleName();
  const [sought, setSought] = useState("");
  const [former, setFormer] = useState(false);
  const [asked, setAsked] = useState<Asked>();
  if (staff.isPending) return <Loading />;
  if (!staff.data) return <Failed error={staff.error} retry={() => void staff.refetch()} />;
  const { members, teams } = staff.data;
  const words = sought.toLowerCase().split(/\s+/).filter(Boolean);
  const found = members.filter((m) => {
    const text = `${m.name} ${m.login} ${m.team} ${m.extension} ${m.mail} ${nameOf(m.role)}`.toLowerCase();
    return words.every((w) => text.includes(w));
  });
  const there = found.filter((m) => m.active);
  const gone = found.filter((m) => !m.active);
  const shown = former || words.length > 0 ? [...there, ...gone] : there;
  const close = () => {
    setAsked(undefined);
  };
  return (
    <div className="max-w-5xl">
      <p className="mb-3 max-w-prose">{s.intro}</p>
      <div className="mb-2 flex items-end gap-3">
        <Field
          label={s.search}
          hidden
          placeholder={s.search}
          type="search"
          className="w-64"
          value={sought}
          onChange={(e) => {
            setSought(e.target.value);
          }}
        />
        <span className="flex-1" />
        <Button
          onClick={() => {
            setAsked({ what: "many" });
          }}
        >
          {many.open}
        </Button>
        <Button
          look="ours"
          onClick={() => {
            setAsked({ what: "edit" });
          }}
        >
          {s.add}
        </Button>
      </div>
      {shown.length === 0 && <Empty>{s.nobody}</Empty>}
      {shown.length > 0 && <Members members={shown} onAsk={setAsked} />}
      {gone.length > 0 && words.length === 0 && (
        <Button
          look="quiet"
          className="mt-2"
          onClick={() => {
            setFormer(!former);
          }}
        >
          {former ? s.hideFormer : `${s.showFormer} (${String(gone.length)})`}
        </Button>
      )}
      {asked?.what === "edit" && (
        <MemberForm
          member={asked.member}
          teams={teams}
          onClose={close}
          onAdded={(member) => {
            setAsked({ what: "link", member });
          }}
        />
      )}
      {asked?.what === "many" && <ManyDialog teams={teams} onClose={close} />}
      {asked?.what === "link" && asked.member && <LinkDialog member={asked.member} onClose={close} />}
      {asked?.what === "off" && asked.member && (
        <OffDialog member={asked.member} others={members.filter((m) => m.active && !m.leaving)} onClose={close} />
      )}
    </div>
  );
}

function Members({ members, onAsk }: { members: Member[]; onAsk: (asked: Asked) => void }) {
  const nameOf = useRoleName();
  return (
    <table className="w-full text-left" aria-label={s.list}>
      <thead className="text-sm text-quiet">
        <tr className="border-b border-rule-strong">
          {(["name", "role", "team", "login", "extension", "state"] as const).map((c) => (
            <th key={c} scope="col" className="py-1 pr-3 font-normal">
              {s.columns[c]}
            </th>
          ))}
          <td />
        </tr>
      </thead>
      <tbody>
        {members.map((m) => (
          <tr key={m.id} className={`border-b border-rule ${m.active ? "" : "text-quiet"}`} data-testid="member">
            <td className="max-w-56 py-1 pr-3">
              <button
                type="button"
                className="block min-h-6 max-w-full truncate text-left font-semibold hover:text-ours hover:underline"
                title={s.edit(m.name)}
                onClick={() => {
                  onAsk({ what: "edit", member: m });
                }}
              >
                {m.name}
              </button>
            </td>
            <td className="pr-3">{nameOf(m.role)}</td>
            <td className="max-w-40 truncate pr-3">{[m.team, ...m.more_teams].filter(Boolean).join(", ")}</td>
            <td className="max-w-40 truncate pr-3" title={m.login}>
              {m.login}
            </td>
            <td className="pr-3">{m.extension}</td>
            <td className="pr-3">
              <Standing member={m} />
            </td>
            <td>
              <Acts member={m} onAsk={onAsk} />
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** Standing says how it stands with somebody's way in. */
function Standing({ member: m }: { member: Member }) {
  if (m.leaving) return <Badge tone="waiting">{s.leaving}</Badge>;
  if (!m.active) return <span className="text-sm">{m.off_at ? s.offSince(dayShort(m.off_at)) : ""}</span>;
  if (m.invited) return <Badge tone="waiting">{s.invited}</Badge>;
  return <span className="text-sm text-quiet">{m.seen_at ? s.seen(when(m.seen_at)) : s.never}</span>;
}

function Acts({ member: m, onAsk }: { member: Member; onAsk: (asked: Asked) => void }) {
  const client = useQueryClient();
  const tell = useTell();
  const on = useMutation({
    mutationFn: () => ask(api.POST("/api/staff/{id}/on", { params: { path: { id: m.id } } })),
    onSuccess: () => {
      tell(s.on.done(m.name));
      refresh(client, keys.staff(), keys.team());
    },
    onError: (e) => {
      tell(e.message, { bad: true });
    },
  });
  return (
    <span className="flex justify-end gap-1">
      {m.active && !m.leaving ? (
        <>
          <Button
            look="quiet"
            onClick={() => {
              onAsk({ what: "link", member: m });
            }}
          >
            {m.invited ? s.link.invite : s.link.reset}
          </Button>
          <Button
            look="quiet"
            aria-label={s.off.title(m.name)}
            onClick={() => {
              onAsk({ what: "off", member: m });
            }}
          >
            {s.off.button}
          </Button>
        </>
      ) : (
        <Button
          look="quiet"
          disabled={on.isPending}
          onClick={() => {
            on.mutate();
          }}
        >
          {s.on.button}
        </Button>
      )}
    </span>
  );
}
