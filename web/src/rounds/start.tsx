import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link, useNavigate, useSearch } from "@tanstack/react-router";
import { useState } from "react";

import { useRights } from "../api/rights";
import { keys } from "../api/keys";
import { api, ask, Failure, newKey, type Schemas } from "../api/client";
import { queries } from "../api/queries";
import { t } from "../texts";
import { roundPages } from "../texts/round_pages";
import { Button } from "../ui/button";
import { Field } from "../ui/field";
import { Empty, Failed, Loading } from "../ui/states";
import { useTell } from "../ui/toast";
import { RoundForm } from "./form";
import { keptSource, type Settings, type Source, takeRound } from "./round";

const s = roundPages.start;

/** StartRound is the page on which a round begins: of a list, of picked rows, or of the lane. */
export function StartRound() {
  const { list, lane } = useSearch({ from: "/frame/rounds/new" });
  const source: Source | undefined = list ? { list_id: list } : lane ? { lane: true } : keptSource();
  const choices = useQuery({ ...queries.roundChoices, staleTime: 0, gcTime: 0 });
  if (!source) return <Empty>{s.nothing}</Empty>;
  if (choices.isError) return <Failed error={choices.error} retry={() => void choices.refetch()} />;
  if (!choices.data) return <Loading />;
  return <Start key={JSON.stringify(source)} source={source} choices={choices.data} />;
}

function Start({ source, choices }: { source: Source; choices: Schemas["RoundChoices"] }) {
  const client = useQueryClient();
  const navigate = useNavigate();
  const tell = useTell();
  const leads = useRights().others("lead_rounds");
  const [settings, setSettings] = useState<Settings>(choices.settings);
  const [name, setName] = useState<string>();
  const body = { ...source, settings };
  const preview = useQuery({
    queryKey: keys.roundPreview(body),
    queryFn: ({ signal }) => ask(api.POST("/api/rounds/preview", { body, signal })),
    placeholderData: keepPreviousData,
    retry: false,
  });
  const seen = preview.data;
  const [key] = useState(newKey);
  const start = useMutation({
    mutationFn: async () => {
      const round = await ask(
        api.POST("/api/rounds", {
          params: { header: { "Idempotency-Key": key } },
          body: { ...body, ...(name?.trim() ? { name } : {}) },
        }),
      );
      client.setQueryData(keys.round(round.id), round);
      return round;
    },
    onError: (e) => {
      tell(e.message, { bad: true });
    },
  });
  const team = useMutation({
    mutationFn: () => ask(api.PUT("/api/rounds/defaults", { body: settings })),
    onSuccess: () => {
      tell(s.teamDone);
    },
    onError: (e) => {
      tell(e.message, { bad: true });
    },
  });
  const begin = () => {
    if (start.isPending) return;
    start.mutate(undefined, {
      onSuccess: (round) => {
        void ask(
          api.POST("/api/rounds/{id}/acts", {
            params: { path: { id: round.id }, header: { "Idempotency-Key": newKey() } },
            body: { act: "go" },
          }),
        )
          .then((going) => {
            takeRound(client, going);
          })
          .catch((e: unknown) => {
            void client.invalidateQueries({ queryKey: keys.round(round.id) });
            if (e instanceof Failure && e.code === "telephone_rings") return;
            tell(e instanceof Error ? e.message : t.failed.unknown, { bad: true });
          })
          .finally(() => {
            void client.invalidateQueries({ queryKey: keys.lane() });
            void navigate({ to: "/rounds/$id", params: { id: round.id }, search: {} });
          });
      },
    });
  };
  const nobody = preview.isError || seen?.total === 0;
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault();
        begin();
      }}
    >
      <div className="mb-1 flex flex-wrap items-start justify-between gap-x-6 gap-y-2">
        <h1 className="name min-w-0 text-xl break-words">{seen ? s.of(seen.name) : s.title}</h1>
        <div className="flex items-center gap-2">
          {leads && (
            <Button
              disabled={team.isPending}
              onClick={() => {
                team.mutate();
              }}
            >
              {s.team}
            </Button>
          )}
          <Button look="ours" type="submit" disabled={start.isPending || nobody} autoFocus>
            {start.isPending ? s.starting : s.go}
          </Button>
        </div>
      </div>
      <p className="mb-4 max-w-prose text-[1.0625rem]" role="status" data-testid="round-sentence">
        {preview.isError ? (
          <span className="text-ending">{preview.error.message}</span>
        ) : (
          (seen?.sentence ?? `${s.counting} …`)
        )}
      </p>
      {seen?.going.map((r) => (
        <p
          key={r.id}
          className="mb-4 flex flex-wrap items-center gap-x-3 rounded-sm bg-waiting-soft px-3 py-1.5 text-waiting"
        >
          <span>
            {s.goingTitle} {s.going(r.name, r.remaining)}
          </span>
          <Link
            to="/rounds/$id"
            params={{ id: r.id }}
            search={{}}
            className="font-semibold underline underline-offset-3"
          >
            {s.join}
          </Link>
        </p>
      ))}
      <RoundForm
        settings={settings}
        choices={choices}
        onChange={setSettings}
        first={
          <Field
            label={s.name}
            maxLength={120}
            value={name ?? seen?.name ?? ""}
            onChange={(e) => {
              setName(e.target.value);
            }}
          />
        }
      />
    </form>
  );
}
