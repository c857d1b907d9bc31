import { keys } from "../api/keys";
import { figure } from "../ui/locale";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useNavigate, useParams, useSearch } from "@tanstack/react-router";
import { useState } from "react";

import { api, ask, type Schemas } from "../api/client";
import { queries } from "../api/queries";
import { RecordView } from "../book/record";
import { ChooseColleague } from "../team/choose_colleague";
import { t } from "../texts";
import { useKey, useKeys } from "../shell/keys";
import { Button } from "../ui/button";
import { duration } from "../ui/clock";
import { Dialog } from "../ui/dialog";
import { More } from "../ui/icons";
import { Menu, MenuItem, MenuLine } from "../ui/menu";
import { Failed, Loading } from "../ui/states";
import { clockTime, dayShort } from "../ui/times";
import { useTell } from "../ui/toast";
import { Beads } from "./beads";
import { RoundForm } from "./form";
import { Results } from "./results";
import { type Round, type Settings, useRoundAct, useUndoLast } from "./round";

const g = t.rounds.going;

/** RoundPage is a round at a glance, and the sheet of whom it is at. */
export function RoundPage() {
  const { id } = useParams({ from: "/frame/rounds/$id" });
  const { show } = useSearch({ from: "/frame/rounds/$id" });
  const round = useQuery(queries.round(id));
  if (round.isPending) return <Loading />;
  if (!round.data) return <Failed error={round.error} retry={() => void round.refetch()} />;
  const current = round.data.current;
  return (
    <>
      <Head round={round.data} />
      {show === "settings" ? (
        <Change key={round.data.version} round={round.data} />
      ) : (
        <>
          <Beads round={round.data} />
          <Figures round={round.data} />
          {round.data.over && <Results round={round.data} />}
          {current && (
            <div className="mt-4 border-t border-rule-strong pt-3">
              <RecordView
                key={current.record.id}
                id={current.record.id}
                heading="h2"
                note={[g.attempt(current.attempt), current.reach].filter(Boolean).join(" · ")}
              />
            </div>
          )}
        </>
      )}
    </>
  );
}

function Head({ round }: { round: Round }) {
  const act = useRoundAct(round.id);
  const navigate = useNavigate();
  const { hint } = useKeys();
  const me = useQuery(queries.me).data;
  const undo = useUndoLast(round);
  const [ending, setEnding] = useState(false);
  const [giving, setGiving] = useState(false);
  const going = round.mine === "going";
  const pause = () => {
    act.run({ act: going ? "pause" : "go" });
  };
  useKey("pause", round.over ? undefined : pause);
  useKey("undo", undo);
  const others = round.reps.filter((r) => r.state === "going" && r.id !== me?.id).map((r) => r.name);
  const settings = () => void navigate({ to: "/rounds/$id", params: { id: round.id }, search: { show: "settings" } });
  return (
    <div className="mb-2 flex flex-wrap items-start justify-between gap-x-6 gap-y-1">
      <div className="min-w-0">
        <h1 className="name text-xl break-words">{round.name}</h1>
        {!round.over && (
          <p className="text-sm text-quiet" data-testid="round-state">
            {going
              ? round.stop_after
                ? g.willStop
                : round.waits
                  ? g.waits(round.waits)
                  : ""
              : round.mine === "paused"
                ? round.why
                  ? g.pausedWhy(round.why)
                  : g.paused
                : g.notMine}
            {others.length > 0 && ` ${g.others(others.join(", "))}.`}
            {round.preparing && ` ${g.preparing}`}
          </p>
        )}
      </div>
      <div className="flex flex-wrap items-center gap-1.5">
        {undo && round.undo && (
          <Button look="quiet" onClick={undo} hint={hint("undo")} className="max-w-72">
            <span className="truncate">{g.undo(round.undo.name, round.undo.outcome)}</span>
          </Button>
        )}
        {!round.over && (
          <>
            <Button look={going ? "plain" : "ours"} disabled={act.pending} onClick={pause} hint={hint("pause")}>
              {going ? g.pause : round.mine === "" || round.mine === "left" ? g.join : g.go}
            </Button>
            {going && (
              <Button
                disabled={act.pending}
                aria-pressed={round.stop_after}
                onClick={() => {
                  act.run({ act: round.stop_after ? "go_on_after" : "stop_after" });
                }}
              >
                {round.stop_after ? g.goOnAfter : g.stopAfter}
              </Button>
            )}
            <Menu
              align="end"
              trigger={
                <Button>
                  {g.more} <More />
                </Button>
              }
            >
              <MenuItem onSelect={settings}>{g.settings}</MenuItem>
              {round.mine !== "" && round.mine !== "left" && (
                <MenuItem
                  onSelect={() => {
                    act.run({ act: "leave" });
                  }}
                >
                  {g.leave}
                </MenuItem>
              )}
              <MenuItem
                onSelect={() => {
                  setEnding(true);
                }}
              >
                {g.end}
              </MenuItem>
              <MenuLine />
              <MenuItem
                onSelect={() => {
                  setGiving(true);
                }}
              >
                {g.handOver}
              </MenuItem>
            </Menu>
          </>
        )}
      </div>
      {giving && (
        <ChooseColleague
          title={g.handOverTo(round.name)}
          only={(c) => c.id !== me?.id}
          onChoose={(id) => {
            act.run({ act: "hand_over", rep_id: id });
          }}
          onClose={() => {
            setGiving(false);
          }}
        />
      )}
      <Dialog
        open={ending}
        onClose={() => {
          setEnding(false);
        }}
        title={g.sure}
        actions={
          <>
            <Button
              onClick={() => {
                setEnding(false);
              }}
            >
              {t.cancel}
            </Button>
            <Button
              look="ending"
              onClick={() => {
                setEnding(false);
                act.run({ act: "end" });
              }}
            >
              {g.end}
            </Button>
          </>
        }
      >
        <p>{g.sureText(round.remaining)}</p>
      </Dialog>
    </div>
  );
}

function Figure({ label, value, small }: { label: string; value: string; small?: string | undefined }) {
  return (
    <div className="min-w-0 border-rule-strong px-3.5 py-1.5 not-first:border-l">
      <dt className="truncate text-sm text-quiet">{label}</dt>
      <dd className="truncate text-lg leading-6 font-semibold">
        {value}
        {small && <span className="ml-2 text-sm font-normal text-quiet">{small}</span>}
      </dd>
    </div>
  );
}

/** Figures are how far a round is, and what came of today's against yesterday's. */
function Figures({ round }: { round: Round }) {
  const before = new Map(round.yesterday.outcomes.map((o) => [o.outcome, o.people]));
  return (
    <>
      <dl
        className="mt-1 grid grid-cols-5 rounded-md border border-rule-strong bg-paper max-[63.9rem]:grid-cols-2"
        data-testid="round-figures"
      >
        <Figure label={g.called} value={g.of(round.called, round.total)} />
        <Figure label={g.reached} value={String(round.reached)} />
        <Figure
          label={g.left}
          value={figure(round.remaining)}
          small={round.later > 0 ? g.later(round.later) : undefined}
        />
        <Figure label={g.average} value={round.average_ms > 0 ? duration(round.average_ms) : g.unknown} />
        <Figure
          label={g.done}
          value={round.done_at ? clockTime(round.done_at) : g.unknown}
          small={round.done_at && dayShort(round.done_at) !== t.history.today ? dayShort(round.done_at) : undefined}
        />
      </dl>
      {(round.today.called > 0 || round.yesterday.called > 0) && (
        <p className="mt-1.5 flex flex-wrap gap-x-3 text-sm text-quiet" data-testid="round-today">
          <span>
            {g.today}: {g.calls(round.today.called)}, {g.spoken(round.today.reached)} (
            {g.yesterday(round.yesterday.reached)})
          </span>
          {round.today.outcomes.map((o) => (
            <span key={o.outcome}>
              <span className="text-ink">{o.outcome}</span> {o.people}
              {before.has(o.outcome) && ` (${g.yesterday(before.get(o.outcome) ?? 0)})`}
            </span>
          ))}
        </p>
      )}
    </>
  );
}

/** Change is how a round goes on, to be changed while it does. */
function Change({ round }: { round: Round }) {
  const client = useQueryClient();
  const navigate = useNavigate();
  const tell = useTell();
  const choices = useQuery(queries.roundChoices).data;
  const [settings, setSettings] = useState<Settings>(round.settings);
  const back = () => void navigate({ to: "/rounds/$id", params: { id: round.id }, search: {} });
  const save = useMutation({
    mutationFn: (body: Schemas["RoundSettings"]) =>
      ask(api.PUT("/api/rounds/{id}", { params: { path: { id: round.id } }, body })),
    onSuccess: (next) => {
      client.setQueryData(keys.round(round.id), next);
      back();
    },
    onError: (e) => {
      tell(e.message, { bad: true });
    },
  });
  if (!choices) return <Loading />;
  return (
    <form
      className="mt-2"
      onSubmit={(e) => {
        e.preventDefault();
        save.mutate(settings);
      }}
    >
      <RoundForm settings={settings} choices={choices} onChange={setSettings} />
      <div className="mt-5 flex gap-2">
        <Button look="ours" type="submit" disabled={save.isPending}>
          {t.save}
        </Button>
        <Button onClick={back}>{t.cancel}</Button>
      </div>
    </form>
  );
}
