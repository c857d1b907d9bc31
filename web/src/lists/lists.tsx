import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link, useNavigate, useParams, useSearch } from "@tanstack/react-router";
import { useState } from "react";

import { useRights } from "../api/rights";
import { keys } from "../api/keys";
import { api, ask, type Schemas } from "../api/client";
import { queries } from "../api/queries";
import { type ListKind } from "../book/values";
import { t } from "../texts";
import { Enrolling } from "../outreach/enrolling";
import { Button } from "../ui/button";
import { Badge } from "../ui/chip";
import { Dialog } from "../ui/dialog";
import { More } from "../ui/icons";
import { useArrowKeys } from "../ui/list";
import { Menu, MenuItem } from "../ui/menu";
import { Empty, Failed, Loading } from "../ui/states";
import { useTell } from "../ui/toast";
import { Rows, type View } from "./rows";
import { ListDialog, queryOf, viewOf } from "./save_view";

type RecordList = Schemas["RecordList"];
const l = t.book.list;

/** Lists shows the hand-made lists and the views by their groups, and the ways into and out of the book. */
export function Lists() {
  const lists = useQuery(queries.lists);
  const duplicates = useQuery(queries.duplicates).data;
  const rights = useRights();
  const arrows = useArrowKeys();
  const [making, setMaking] = useState(false);
  const groups = new Map<string, RecordList[]>();
  for (const x of lists.data ?? []) groups.set(x.group, [...(groups.get(x.group) ?? []), x]);
  return (
    <>
      <div className="mb-3 flex flex-wrap items-center gap-3">
        <h1 className="name text-xl">{l.title}</h1>
        <span className="grow" />
        <Link to="/follow-ups" search={{}} className="text-ours hover:underline">
          {l.followUps}
        </Link>
        <Link to="/duplicates" className="text-ours hover:underline">
          {l.duplicates}
          {duplicates && duplicates.total > 0 && ` · ${String(duplicates.total)}`}
        </Link>
        {rights.may("import") && (
          <Link to="/imports" className="text-ours hover:underline">
            {l.imports}
          </Link>
        )}
        <Button
          onClick={() => {
            setMaking(true);
          }}
        >
          {l.newList}
        </Button>
      </div>
      {lists.isPending && <Loading />}
      {lists.isError && <Failed error={lists.error} retry={() => void lists.refetch()} />}
      <OpenRounds />
      {lists.data?.length === 0 && <Empty>{l.noLists}</Empty>}
      <div
        className="grid grid-cols-2 gap-x-8 gap-y-5 max-[63.9rem]:grid-cols-1"
        onKeyDown={arrows}
        data-testid="lists"
      >
        {[...groups].map(([group, all]) => (
          <section key={group} aria-label={group || l.ungrouped}>
            <h2 className="border-b border-rule-strong pb-1 text-quiet">{group || l.ungrouped}</h2>
            <ul>
              {all.map((x) => (
                <li key={x.id} className="border-b border-rule">
                  <Link
                    to="/lists/$id"
                    params={{ id: x.id }}
                    search={{}}
                    data-arrow
                    className="flex items-baseline justify-between gap-3 py-1.5 hover:bg-paper"
                  >
                    <span className="min-w-0 truncate">
                      <span className="name">{x.name}</span>{" "}
                      <span className="text-sm text-quiet">
                        {t.book.many(x.kind)}
                        {!x.shared && `, ${l.mine}`}
                      </span>
                    </span>
                    {x.type === "hand" ? (
                      <span className="text-quiet">{x.count}</span>
                    ) : (
                      <Badge tone="quiet">{l.view}</Badge>
                    )}
                  </Link>
                </li>
              ))}
            </ul>
          </section>
        ))}
      </div>
      {making && (
        <ListDialog
          type="hand"
          onClose={() => {
            setMaking(false);
          }}
        />
      )}
    </>
  );
}

/** OpenRounds are the rounds that are not over, one's own first. */
function OpenRounds() {
  const rounds = useQuery(queries.rounds).data ?? [];
  if (rounds.length === 0) return null;
  return (
    <section aria-label={t.rounds.list.title} className="mb-5">
      <h2 className="border-b border-rule-strong pb-1 text-quiet">{t.rounds.list.title}</h2>
      <ul>
        {rounds.map((r) => (
          <li key={r.id} className="border-b border-rule">
            <Link
              to="/rounds/$id"
              params={{ id: r.id }}
              search={{}}
              data-arrow
              className="flex items-baseline justify-between gap-3 py-1.5 hover:bg-paper"
            >
              <span className="min-w-0 truncate">
                <span className="name">{r.name}</span>{" "}
                <span className="text-sm text-quiet">
                  {[t.rounds.list.mine[r.mine], r.going.length > 0 ? r.going.join(", ") : t.rounds.list.by(r.starter)]
                    .filter(Boolean)
                    .join(", ")}
                </span>
              </span>
              <span className="shrink-0 text-quiet">{t.rounds.list.left(r.remaining)}</span>
            </Link>
          </li>
        ))}
      </ul>
    </section>
  );
}

/** ListPage is one list or view; what is narrowed further stands in the address. */
export function ListPage() {
  const { id } = useParams({ from: "/frame/lists/$id" });
  const search = useSearch({ from: "/frame/lists/$id" });
  const lists = useQuery(queries.lists);
  const navigate = useNavigate();
  const list = lists.data?.find((x) => x.id === id);
  if (lists.isPending) return <Loading />;
  if (!list) return <Failed error={lists.error} title={t.failed.title} retry={() => void lists.refetch()} />;
  // The address says all of it, or nothing: then the list's own view holds.
  const own = Object.values(search).every((x) => x === undefined);
  const view: View = own ? viewOf(list.query) : search;
  return (
    <Rows
      key={id}
      kind={list.kind as ListKind}
      view={view}
      listId={list.type === "hand" ? id : undefined}
      onView={(next, replace) => void navigate({ to: "/lists/$id", params: { id }, search: next, replace })}
      title={<h1 className="name truncate text-xl">{list.name}</h1>}
      tools={<ListTools list={list} view={view} changed={!own} />}
    />
  );
}

function ListTools({ list, view, changed }: { list: RecordList; view: View; changed: boolean }) {
  const client = useQueryClient();
  const navigate = useNavigate();
  const tell = useTell();
  const [dialog, setDialog] = useState<"rename" | "remove">();
  const again = () => void client.invalidateQueries({ queryKey: keys.lists() });
  const failed = (e: Error) => {
    tell(e.message, { bad: true });
  };
  const keep = useMutation({
    mutationFn: () =>
      ask(
        api.PUT("/api/lists/{id}", {
          params: { path: { id: list.id } },
          body: {
            name: list.name,
            group: list.group,
            type: list.type,
            kind: list.kind as Schemas["ListEdit"]["kind"],
            shared: list.shared,
            query: queryOf(view),
            ...(list.line_id ? { line_id: list.line_id } : {}),
            version: list.version,
          },
        }),
      ),
    onSuccess: () => {
      again();
      tell(l.viewKept(list.name));
      void navigate({ to: "/lists/$id", params: { id: list.id }, search: {}, replace: true });
    },
    onError: failed,
  });
  const sequences = (useQuery(queries.sequences).data ?? []).filter((x) => x.active);
  const [enrolling, setEnrolling] = useState<Schemas["Sequence"]>();
  const remove = useMutation({
    mutationFn: () => ask(api.DELETE("/api/lists/{id}", { params: { path: { id: list.id } } })),
    onSuccess: () => {
      again();
      void navigate({ to: "/lists" });
    },
    onError: failed,
  });
  return (
    <>
      {["contact", "lead", "company", "people", "deal", "case"].includes(list.kind) && !changed && (
        <Button look="ours" onClick={() => void navigate({ to: "/rounds/new", search: { list: list.id } })}>
          {t.rounds.start.button}
        </Button>
      )}
      {changed && (
        <Button
          disabled={keep.isPending}
          onClick={() => {
            keep.mutate();
          }}
        >
          {l.updateView}
        </Button>
      )}
      <Menu
        trigger={
          <Button>
            {t.book.more} <More />
          </Button>
        }
      >
        {list.type === "hand" &&
          sequences.map((x) => (
            <MenuItem
              key={x.id}
              onSelect={() => {
                setEnrolling(x);
              }}
            >
              {t.after.sequences.enrolList(x.name)}
            </MenuItem>
          ))}
        <MenuItem
          onSelect={() => {
            setDialog("rename");
          }}
        >
          {l.rename}
        </MenuItem>
        <MenuItem
          onSelect={() => {
            setDialog("remove");
          }}
        >
          {l.removeList}
        </MenuItem>
      </Menu>
      {enrolling && (
        <Enrolling
          whom={{ list_id: list.id }}
          sequence={enrolling.id ?? ""}
          name={enrolling.name}
          onClose={() => {
            setEnrolling(undefined);
          }}
          again={again}
        />
      )}
      {dialog === "rename" && (
        <ListDialog
          type={list.type}
          list={list}
          onClose={() => {
            setDialog(undefined);
          }}
        />
      )}
      <Dialog
        open={dialog === "remove"}
        onClose={() => {
          setDialog(undefined);
        }}
        title={l.removeList}
        actions={
          <>
            <Button
              onClick={() => {
                setDialog(undefined);
              }}
            >
              {t.cancel}
            </Button>
            <Button
              look="ending"
              disabled={remove.isPending}
              onClick={() => {
                remove.mutate();
              }}
            >
              {l.removeList}
            </Button>
          </>
        }
      >
        <p>{l.removeListText(list.name)}</p>
      </Dialog>
    </>
  );
}
