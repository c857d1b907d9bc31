import { useRights } from "../api/rights";
import { keys, refresh } from "../api/keys";
import { figure } from "../ui/locale";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "@tanstack/react-router";
import { useEffect, useEffectEvent, useState } from "react";

import { api, ask, newKey, type Schemas } from "../api/client";
import { queries } from "../api/queries";
import { type FieldDef } from "../book/values";
import { ChooseColleague } from "../team/choose_colleague";
import { t } from "../texts";
import { keepSource } from "../rounds/round";
import { Button } from "../ui/button";
import { Dialog } from "../ui/dialog";
import { Field } from "../ui/field";
import { More } from "../ui/icons";
import { Menu, MenuItem } from "../ui/menu";
import { useTell } from "../ui/toast";
import type { useSelection } from "./selection";

type Action = Schemas["BulkAct"]["action"];

const b = t.book.bulk;
const l = t.book.list;

/** BulkBar stands where the hints stood while rows are picked: what can be done with all of them. Each act can be undone. */
export function BulkBar({
  picked,
  total,
  more,
  listId,
  fields,
  kind,
}: {
  picked: ReturnType<typeof useSelection>;
  total: number;
  more: boolean;
  listId: string | undefined;
  fields: FieldDef[];
  kind: string;
}) {
  const navigate = useNavigate();
  const rights = useRights();
  const lists = useQuery(queries.lists).data ?? [];
  const tell = useTell();
  const client = useQueryClient();
  const [asked, setAsked] = useState<"owner" | "tag" | "untag" | "lane" | "delete">();
  const [text, setText] = useState("");
  const again = () => {
    refresh(client, keys.rows(), keys.lists(), keys.lane(), keys.record());
  };
  const failed = (e: Error) => {
    tell(e.message, { bad: true });
  };
  const undo = useMutation({
    mutationFn: (id: string) => ask(api.POST("/api/bulk/{id}/undo", { params: { path: { id } } })),
    onSuccess: () => {
      tell(b.undone);
      again();
    },
    onError: failed,
  });
  const act = useMutation({
    mutationFn: (wish: { action: Action; value: string; label: string }) =>
      ask(
        api.POST("/api/bulk", {
          params: { header: { "Idempotency-Key": newKey() } },
          body: { action: wish.action, value: wish.value, selection: picked.selection },
        }),
      ),
    onSuccess: (done, wish) => {
      setAsked(undefined);
      setText("");
      if (done.state === "running") setGoing({ id: done.id, label: wish.label });
      else over(done, wish.label);
    },
    onError: failed,
  });
  const over = (done: Schemas["BulkResult"], label: string) => {
    picked.clear();
    again();
    if (done.state === "failed") {
      tell(b.failed(done.count), { bad: true });
      return;
    }
    tell(b.done(label, done.count), {
      action: {
        label: b.undo,
        run: () => {
          undo.mutate(done.id);
        },
      },
    });
  };
  // What takes longer goes on behind: how far it is, and that it can be stopped.
  const [going, setGoing] = useState<{ id: string; label: string }>();
  const progress = useQuery(queries.bulk(going?.id)).data;
  const finished = going && progress?.id === going.id && progress.state !== "running" ? progress : undefined;
  const overNow = useEffectEvent((done: Schemas["BulkResult"]) => {
    over(done, going?.label ?? "");
    setGoing(undefined);
  });
  useEffect(() => {
    if (finished) overNow(finished);
  }, [finished]);
  const cancel = useMutation({
    mutationFn: (id: string) => ask(api.DELETE("/api/bulk/{id}", { params: { path: { id } } })),
    onSuccess: (now) => {
      client.setQueryData(keys.bulk(now.id), now);
    },
    onError: failed,
  });
  const take = useMutation({
    mutationFn: (format: Schemas["NewExport"]["format"]) =>
      ask(api.POST("/api/exports", { body: { format, selection: picked.selection } })),
    onSuccess: (e) => {
      location.assign(e.address);
    },
    onError: failed,
  });
  const number = more && picked.all ? l.rows(total, true) : figure(picked.count);
  const menu = (label: string, items: { key: string; label: string; run: () => void }[]) => (
    <Menu
      trigger={
        <Button disabled={act.isPending}>
          {label} <More />
        </Button>
      }
    >
      {items.map((i) => (
        <MenuItem key={i.key} onSelect={i.run}>
          {i.label}
        </MenuItem>
      ))}
    </Menu>
  );
  const run = (action: Action, value: string, label: string) => () => {
    act.mutate({ action, value, label });
  };
  if (going) {
    const done = progress?.looked_at ?? 0;
    return (
      <div role="status" className="flex items-center gap-3 border-t border-rule-strong pt-2" data-testid="bulk-going">
        <span>{b.going(going.label, done, progress?.selected ?? picked.count)}</span>
        <progress className="grow" value={done} max={progress?.selected ?? picked.count} aria-label={going.label} />
        <Button
          disabled={cancel.isPending}
          onClick={() => {
            cancel.mutate(going.id);
          }}
        >
          {t.cancel}
        </Button>
      </div>
    );
  }
  const stages = fields.find((f) => f.key === "stage")?.choices ?? [];
  const hand = lists.filter((x) => x.type === "hand");
  return (
    <div
      role="region"
      aria-label={l.selected(picked.count)}
      className="flex flex-wrap items-center gap-1.5 border-t border-rule-strong pt-2"
      data-testid="bulk"
    >
      <span className="font-semibold">{picked.all ? l.allSelected(number) : l.selected(picked.count)}</span>
      {!picked.all && picked.count < total && (
        <Button look="quiet" onClick={picked.pickAll}>
          {l.selectAll(l.rows(total, more))}
        </Button>
      )}
      <span className="grow" />
      {["contact", "lead", "company", "people", "deal", "case"].includes(kind) && (
        <Button
          look="ours"
          onClick={() => {
            keepSource({ selection: picked.selection });
            void navigate({ to: "/rounds/new", search: {} });
          }}
        >
          {t.rounds.start.button}
        </Button>
      )}
      {hand.length > 0 &&
        menu(
          b.addToList,
          hand.map((x) => ({ key: x.id, label: x.name, run: run("add_to_list", x.id, x.name) })),
        )}
      {listId && <Button onClick={run("take_from_list", listId, b.takeFromList)}>{b.takeFromList}</Button>}
      <Button
        disabled={act.isPending}
        onClick={() => {
          setAsked("owner");
        }}
      >
        {b.owner}
      </Button>
      {stages.length > 0 &&
        menu(
          b.stage,
          stages.map((s) => ({ key: s, label: s, run: run("set_stage", s, s) })),
        )}
      <Button
        onClick={() => {
          setAsked("tag");
        }}
      >
        {b.tag}
      </Button>
      <Button
        onClick={() => {
          setAsked("untag");
        }}
      >
        {b.untag}
      </Button>
      <Button
        onClick={() => {
          setAsked("lane");
        }}
      >
        {b.toLane}
      </Button>
      {rights.may("export") &&
        menu(
          b.export,
          (["csv", "vcard", "vcard3", "jsonl"] as const).map((f) => ({
            key: f,
            label: l.formats[f] ?? f,
            run: () => {
              take.mutate(f);
            },
          })),
        )}
      {rights.others("delete_records") && (
        <Button
          onClick={() => {
            setAsked("delete");
          }}
        >
          {b.remove}
        </Button>
      )}
      <Button look="quiet" onClick={picked.clear}>
        {l.unselect}
      </Button>
      {asked === "owner" && (
        <ChooseColleague
          title={b.ownerOf(number)}
          before={[
            { id: "me", name: b.me },
            { id: "nobody", name: b.nobody },
          ]}
          onChoose={(id) => {
            act.mutate({ action: "set_owner", value: id === "nobody" ? "" : id, label: b.owner });
          }}
          onClose={() => {
            setAsked(undefined);
          }}
        />
      )}
      <Dialog
        open={asked !== undefined && asked !== "owner"}
        onClose={() => {
          setAsked(undefined);
        }}
        title={asked === "delete" ? b.sure(number) : asked === "tag" ? b.tag : asked === "untag" ? b.untag : b.toLane}
        actions={
          <>
            <Button
              onClick={() => {
                setAsked(undefined);
              }}
            >
              {t.cancel}
            </Button>
            {asked === "delete" ? (
              <Button look="ending" disabled={act.isPending} onClick={run("delete", "", b.remove)}>
                {b.remove}
              </Button>
            ) : (
              <Button look="ours" type="submit" form="bulk" disabled={act.isPending}>
                {t.save}
              </Button>
            )}
          </>
        }
      >
        {asked === "delete" ? (
          <p>{b.sureText}</p>
        ) : (
          <form
            id="bulk"
            onSubmit={(e) => {
              e.preventDefault();
              if (asked === "lane") act.mutate({ action: "to_lane", value: text.trim(), label: b.toLane });
              else if (text.trim()) {
                act.mutate({
                  action: asked === "tag" ? "add_tag" : "take_tag",
                  value: text.trim(),
                  label: text.trim(),
                });
              }
            }}
          >
            <Field
              label={asked === "lane" ? t.book.laneWhat : b.tagName}
              autoFocus
              maxLength={asked === "lane" ? 300 : 40}
              value={text}
              problem={act.error?.message}
              onChange={(e) => {
                setText(e.target.value);
              }}
            />
          </form>
        )}
      </Dialog>
    </div>
  );
}
