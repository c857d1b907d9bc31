import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";

import { api, ask, Failure, type Schemas } from "../api/client";
import { keys } from "../api/keys";
import { queries } from "../api/queries";
import { routes as r, trying } from "../texts/routes";
import { Button, IconButton } from "../ui/button";
import { Chip } from "../ui/chip";
import { Field, Select } from "../ui/field";
import { Plus } from "../ui/icons";
import { useArrowKeys } from "../ui/list";
import { Menu, MenuItem } from "../ui/menu";
import { Failed, Loading } from "../ui/states";
import { Tabs } from "../ui/tabs";
import { shortTime } from "../ui/times";
import { useTell } from "../ui/toast";
import { AddMenu, LineMenu } from "./route_menus";
import { StepForm } from "./route_step";
import { addAfter, addUnder, change, type Doc, find, move, newStep, remove, type Step } from "./route_tree";
import { TryRoute } from "./route_try";

type Page = Schemas["RoutePage"];
type Line = Schemas["RouteLine"];
type Draft = { name: string; doc: Doc };

/** RouteEditor is a route: its outline at the left, the chosen step or a try at the right. */
export function RouteEditor({ id, onBack }: { id: string; onBack: () => void }) {
  const route = useQuery(queries.route(id));
  if (route.isPending) return <Loading />;
  if (!route.data) return <Failed error={route.error} retry={() => void route.refetch()} />;
  return <Editor key={id} page={route.data} onBack={onBack} />;
}

/** useSavedDraft keeps what is written on the server a moment after each change. What is typed meanwhile is saved next; nothing is lost where that fails. */
function useSavedDraft(page: Page) {
  const client = useQueryClient();
  const [draft, setDraft] = useState<Draft>({ name: page.name, doc: page.draft });
  const [dirty, setDirty] = useState(false);
  const version = useRef(page.version);
  const newest = useRef(draft);
  const save = useMutation({
    mutationFn: (d: Draft) =>
      ask(
        api.PUT("/api/routes/{id}", {
          params: { path: { id: page.id } },
          body: { name: d.name, draft: d.doc, version: version.current },
        }),
      ),
    onSuccess: (saved, d) => {
      version.current = saved.version;
      client.setQueryData(keys.route(page.id), saved);
      void client.invalidateQueries({ queryKey: keys.routes() });
      if (newest.current === d) setDirty(false);
      else save.mutate(newest.current);
    },
  });
  const { mutate, isPending } = save;
  useEffect(() => {
    if (!dirty || isPending || save.isError) return;
    const timer = setTimeout(() => {
      mutate(newest.current);
    }, 500);
    return () => {
      clearTimeout(timer);
    };
  }, [dirty, draft, isPending, mutate, save.isError]);
  const write = (next: Draft) => {
    newest.current = next;
    setDraft(next);
    setDirty(true);
    if (save.isError && !(save.error instanceof Failure && save.error.problem?.code === "changed_elsewhere"))
      save.reset();
  };
  return {
    draft,
    dirty,
    save,
    write,
    set: (saved: Page) => {
      version.current = saved.version;
      newest.current = { name: saved.name, doc: saved.draft };
      setDraft(newest.current);
      setDirty(false);
      save.reset();
      client.setQueryData(keys.route(page.id), saved);
      void client.invalidateQueries({ queryKey: keys.routes() });
    },
    overwrite: async () => {
      const theirs = await client.fetchQuery(queries.route(page.id));
      version.current = theirs.version;
      save.reset();
      mutate(newest.current);
    },
  };
}

function Editor({ page, onBack }: { page: Page; onBack: () => void }) {
  const client = useQueryClient();
  const tell = useTell();
  const { draft, dirty, save, write, set, overwrite } = useSavedDraft(page);
  const [chosen, setChosen] = useState<{ id: string; key: string }>();
  const [pane, setPane] = useState("step");
  const step = chosen && find(draft.doc.steps, chosen.id);
  const steps = (next: Step[]) => {
    write({ ...draft, doc: { ...draft.doc, steps: next } });
  };
  const add = (does: Step["do"], put: (added: Step) => Step[]) => {
    const added = newStep(draft.doc, does);
    steps(put(added));
    setChosen({ id: added.id, key: "" });
    setPane("step");
  };
  const live = useMutation({
    mutationFn: (back?: number) =>
      ask(
        api.POST("/api/routes/{id}/live", {
          params: { path: { id: page.id } },
          body: { version: page.version, ...(back ? { back_to: back } : {}) },
        }),
      ),
    onSuccess: (saved) => {
      set(saved);
      tell(r.isLive(saved.live ?? 0));
    },
    onError: (e) => {
      tell(e.message, { bad: true });
    },
  });
  const faults = page.faults.length + page.outline.reduce((n, l) => n + l.faults.length, 0);
  const conflict = save.error instanceof Failure && save.error.problem?.status === 409;
  return (
    <div className="flex min-h-0 flex-col">
      <div className="mb-2 flex flex-wrap items-center gap-x-3 gap-y-2">
        <Button look="quiet" onClick={onBack}>
          ‹ {r.all}
        </Button>
        <Field
          label={r.name}
          hidden
          maxLength={60}
          className="w-48"
          value={draft.name}
          onChange={(e) => {
            write({ ...draft, name: e.target.value });
          }}
        />
        <Languages doc={draft.doc} onChange={(doc) => write({ ...draft, doc })} />
        <Button
          look="ours"
          className="ml-auto"
          disabled={dirty || faults > 0 || live.isPending || !page.changed || page.trials.some((x) => !x.passes)}
          title={r.putLiveText}
          onClick={() => live.mutate(undefined)}
        >
          {r.putLive}
        </Button>
      </div>
      <div className="mb-2 flex min-h-7 flex-wrap items-center gap-x-3">
        <span role="status" className="text-sm text-quiet">
          {save.isPending ? r.saving : dirty ? r.unsaved : r.saved} ·{" "}
          {page.live === undefined ? r.notLive : r.live(page.live)}
          {page.live !== undefined && page.changed && ` · ${r.changed}`}
        </span>
        {faults > 0 && <span className="text-sm text-ending">{r.problems(faults)}</span>}
        {page.trials.some((x) => !x.passes) && <span className="text-sm text-ending">{trying.someFail}</span>}
        <span className="ml-auto">
          <Versions page={page} onBack={(no) => live.mutate(no)} />
        </span>
      </div>
      {save.isError && (
        <p role="alert" className="mb-2 flex flex-wrap items-center gap-2 text-ending">
          {conflict ? r.conflict : save.error.message}
          {conflict ? (
            <>
              <Button
                onClick={() => {
                  void client.fetchQuery(queries.route(page.id)).then(set);
                }}
              >
                {r.takeTheirs}
              </Button>
              <Button onClick={() => void overwrite()}>{r.keepMine}</Button>
            </>
          ) : (
            <Button
              onClick={() => {
                save.mutate(draft);
              }}
            >
              {r.retry}
            </Button>
          )}
        </p>
      )}
      {page.faults.map((f) => (
        <p key={f} className="text-sm text-ending">
          {f}
        </p>
      ))}
      <div className="flex gap-5 max-[63.9rem]:flex-col">
        <div className="min-w-0 flex-1">
          <Outline
            page={page}
            doc={draft.doc}
            chosen={chosen}
            onChoose={(id, key) => {
              setChosen({ id, key });
              if (pane !== "step") setPane("step");
            }}
            onAdd={add}
            onSteps={steps}
            onRemoved={() => {
              setChosen(undefined);
            }}
          />
          {draft.doc.steps.length === 0 && (
            <AddMenu label={r.addFirst} onAdd={(does) => add(does, (added) => [added])} />
          )}
        </div>
        <div className="w-80 shrink-0 border-l border-rule pl-4 max-[63.9rem]:w-full max-[63.9rem]:border-l-0 max-[63.9rem]:pl-0">
          <Tabs
            label={r.step}
            value={pane}
            onChange={setPane}
            options={[
              { value: "step", label: r.step },
              { value: "try", label: trying.title },
            ]}
          />
          <div className="pt-2.5">
            {pane === "try" && (
              <TryRoute
                page={page}
                onKept={set}
                onStep={(id) => {
                  setChosen({ id, key: "" });
                }}
              />
            )}
            {pane === "step" && step && (
              <>
                <h2 className="name mb-2">{r.does[step.do]}</h2>
                <StepForm
                  key={step.id}
                  doc={draft.doc}
                  step={step}
                  onChange={(next) => {
                    steps(change(draft.doc.steps, step.id, () => next));
                  }}
                />
                {["menu", "digits", "when"].includes(step.do) && (step.else ?? []).length === 0 && (
                  <AddMenu
                    label={step.do === "when" ? r.otherwise : r.elseSteps}
                    onAdd={(does) => add(does, (added) => addUnder(draft.doc.steps, step.id, "else", added))}
                  />
                )}
              </>
            )}
            {pane === "step" && !step && <p className="text-quiet">{r.choose}</p>}
          </div>
        </div>
      </div>
    </div>
  );
}

function Languages({ doc, onChange }: { doc: Doc; onChange: (doc: Doc) => void }) {
  const others = Object.keys(r.languageNames).filter((l) => !doc.languages.includes(l));
  return (
    <div className="flex flex-wrap items-center gap-1.5" role="group" aria-label={r.languages}>
      {doc.languages.map((l) => (
        <Chip
          key={l}
          removeLabel={`${r.remove} ${r.languageNames[l] ?? l}`}
          remove={
            doc.languages.length > 1
              ? () => {
                  onChange({ ...doc, languages: doc.languages.filter((x) => x !== l) });
                }
              : undefined
          }
        >
          {r.languageNames[l] ?? l}
        </Chip>
      ))}
      {others.length > 0 && (
        <Menu
          trigger={
            <IconButton label={r.languages}>
              <Plus />
            </IconButton>
          }
        >
          {others.map((l) => (
            <MenuItem key={l} onSelect={() => onChange({ ...doc, languages: [...doc.languages, l] })}>
              {r.languageNames[l] ?? l}
            </MenuItem>
          ))}
        </Menu>
      )}
    </div>
  );
}

function Versions({ page, onBack }: { page: Page; onBack: (no: number) => void }) {
  const [no, setNo] = useState("");
  const earlier = page.versions.filter((v) => v.no !== page.live);
  if (earlier.length === 0) return null;
  return (
    <span className="flex items-end gap-1.5">
      <Select
        label={r.versions}
        hidden
        value={no}
        onChange={(e) => {
          setNo(e.target.value);
        }}
      >
        <option value="">{r.versions}</option>
        {earlier.map((v) => (
          <option key={v.no} value={v.no}>
            {r.version(v.no, shortTime(v.at), v.by)}
          </option>
        ))}
      </Select>
      <Button
        disabled={!no}
        onClick={() => {
          onBack(Number(no));
          setNo("");
        }}
      >
        {r.back}
      </Button>
    </span>
  );
}

function Outline({
  page,
  doc,
  chosen,
  onChoose,
  onAdd,
  onSteps,
  onRemoved,
}: {
  page: Page;
  doc: Doc;
  chosen: { id: string; key: string } | undefined;
  onChoose: (id: string, key: string) => void;
  onAdd: (does: Step["do"], put: (added: Step) => Step[]) => void;
  onSteps: (steps: Step[]) => void;
  onRemoved: () => void;
}) {
  const arrows = useArrowKeys();
  // What has been taken out and is not saved yet is not shown any more; what was added appears with its sentence.
  const lines = page.outline.filter((l) => find(doc.steps, l.step));
  return (
    <div role="list" aria-label={r.outline} onKeyDown={arrows}>
      {lines.map((l, i) => (
        <OutlineLine
          key={`${l.step} ${l.key} ${String(i)}`}
          line={l}
          chosen={chosen?.id === l.step && chosen.key === l.key}
          onChoose={() => {
            onChoose(l.step, l.key);
          }}
          acts={
            <LineMenu
              line={l}
              onAdd={(does, under) => {
                onAdd(does, (added) =>
                  under ? addUnder(doc.steps, l.step, l.key, added) : addAfter(doc.steps, l.step, added),
                );
              }}
              onMove={(by) => {
                onSteps(move(doc.steps, l.step, by));
              }}
              onRemove={() => {
                onSteps(remove(doc.steps, l.step));
                onRemoved();
              }}
            />
          }
        />
      ))}
    </div>
  );
}

function OutlineLine({
  line: l,
  chosen,
  onChoose,
  acts,
}: {
  line: Line;
  chosen: boolean;
  onChoose: () => void;
  acts: React.ReactNode;
}) {
  const own = !l.lead || l.key === "";
  return (
    <div role="listitem" className="flex">
      {Array.from({ length: l.depth }, (_, i) => (
        <span key={i} aria-hidden className="ml-2 w-3.5 shrink-0 border-l border-rule" />
      ))}
      <div
        className={`group flex min-w-0 flex-1 items-start gap-1 rounded-sm ${chosen ? "bg-ours-soft" : "hover:bg-rule/40"} ${l.lead ? "mt-1" : ""}`}
      >
        <button
          type="button"
          data-arrow
          aria-current={chosen}
          className={`min-h-7 flex-1 px-1.5 py-1 text-left ${l.lead ? "font-semibold" : ""} ${own ? "" : "text-quiet"}`}
          onClick={onChoose}
        >
          {l.text}
          {l.faults.map((f) => (
            <span key={f} className="block text-sm font-normal text-ending">
              {f}
            </span>
          ))}
        </button>
        {acts}
      </div>
    </div>
  );
}
