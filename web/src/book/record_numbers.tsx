import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useId, useState } from "react";

import { useRights } from "../api/rights";
import { keys } from "../api/keys";
import { api, ask, type PhoneNumber, type Schemas } from "../api/client";
import { queries } from "../api/queries";
import { stateWord } from "../calls/words";
import { t } from "../texts";
import { Button } from "../ui/button";
import { Dialog } from "../ui/dialog";
import { Field } from "../ui/field";
import { MenuItem, MenuLine } from "../ui/menu";
import { Number } from "../ui/number";
import { useTell } from "../ui/toast";
import { useBook } from "./values";

type Record = Schemas["Record"];
const n_ = t.book.numbers;

/** RecordNumbers are a record's numbers in the order in which they are tried; each calls at one click and has a menu. */
export function RecordNumbers({ record }: { record: Record }) {
  const rights = useRights();
  const client = useQueryClient();
  const tell = useTell();
  const desk = useQuery(queries.desk).data;
  const live = desk?.calls.find((c) => c.state.phase !== "ended");
  const [editing, setEditing] = useState<PhoneNumber | "new">();
  const [marking, setMarking] = useState<PhoneNumber>();
  const set = (saved: Record) => {
    client.setQueryData(keys.record(record.id), saved);
    void client.invalidateQueries({ queryKey: keys.rows() });
  };
  const change = useMutation({
    mutationFn: (work: () => Promise<Record>) => work(),
    onSuccess: set,
    onError: (e) => {
      tell(e.message, { bad: true });
    },
  });
  const order = (labels: string[]) => {
    change.mutate(() =>
      ask(api.PUT("/api/records/{id}/number-order", { params: { path: { id: record.id } }, body: { labels } })),
    );
  };
  const mark = (n: PhoneNumber, on: boolean, reason: string) =>
    ask(api.PATCH("/api/numbers/{id}", { params: { path: { id: n.id } }, body: { do_not_call: on, reason } }));
  return (
    <div className="mt-3 flex flex-wrap items-stretch gap-2" data-testid="numbers">
      {record.numbers.length === 0 && <p className="self-center text-quiet">{t.number.noNumbers}</p>}
      {record.numbers.map((n, i) => (
        <Number
          key={n.id}
          number={n}
          name={record.name}
          form="card"
          now={
            live?.display === n.display && live.links.some((l) => l.record.id === record.id)
              ? stateWord(live.state)
              : undefined
          }
          items={
            <>
              <MenuLine />
              <MenuItem
                onSelect={() => {
                  setEditing(n);
                }}
              >
                {n_.change}
              </MenuItem>
              {i > 0 && (
                <MenuItem
                  onSelect={() => {
                    order([n.label]);
                  }}
                >
                  {n_.first}
                </MenuItem>
              )}
              {record.number_order.length > 0 && (
                <MenuItem
                  onSelect={() => {
                    order([]);
                  }}
                >
                  {n_.asUsual}
                </MenuItem>
              )}
              {(!n.refused || rights.may("lift_do_not_call")) && (
                <MenuItem
                  onSelect={() => {
                    setMarking(n);
                  }}
                >
                  {n.refused ? t.book.allowCalls : t.book.doNotCall}
                </MenuItem>
              )}
              <MenuItem
                onSelect={() => {
                  change.mutate(async () => {
                    const saved = await ask(api.DELETE("/api/numbers/{id}", { params: { path: { id: n.id } } }));
                    tell(n_.removed(n.display), {
                      action: {
                        label: t.lane.undo,
                        run: () => {
                          change.mutate(() =>
                            ask(
                              api.POST("/api/records/{id}/numbers", {
                                params: { path: { id: record.id } },
                                body: { label: n.label, typed: n.typed },
                              }),
                            ),
                          );
                        },
                      },
                    });
                    return saved;
                  });
                }}
              >
                {n_.remove}
              </MenuItem>
            </>
          }
        />
      ))}
      <Button
        look="quiet"
        className="self-center"
        onClick={() => {
          setEditing("new");
        }}
      >
        {n_.add}
      </Button>
      {editing && (
        <NumberDialog
          record={record}
          number={editing === "new" ? undefined : editing}
          onSaved={set}
          onClose={() => {
            setEditing(undefined);
          }}
        />
      )}
      {marking && (
        <DoNotCallDialog
          lifting={marking.refused !== ""}
          name={marking.display}
          onClose={() => {
            setMarking(undefined);
          }}
          mark={(reason) => mark(marking, marking.refused === "", reason)}
          onSaved={set}
        />
      )}
    </div>
  );
}

function NumberDialog({
  record,
  number,
  onSaved,
  onClose,
}: {
  record: Record;
  number: PhoneNumber | undefined;
  onSaved: (saved: Record) => void;
  onClose: () => void;
}) {
  const labels = useBook().labels;
  const list = useId();
  const [typed, setTyped] = useState(number?.typed ?? "");
  const [label, setLabel] = useState(number?.label ?? "mobile");
  const save = useMutation({
    mutationFn: () =>
      number
        ? ask(api.PATCH("/api/numbers/{id}", { params: { path: { id: number.id } }, body: { typed, label } }))
        : ask(api.POST("/api/records/{id}/numbers", { params: { path: { id: record.id } }, body: { typed, label } })),
    onSuccess: (saved) => {
      onSaved(saved);
      onClose();
    },
  });
  return (
    <Dialog
      open
      onClose={onClose}
      title={number ? n_.change : n_.add}
      actions={
        <>
          <Button onClick={onClose}>{t.cancel}</Button>
          <Button look="ours" type="submit" form="number" disabled={save.isPending || !typed.trim()}>
            {t.save}
          </Button>
        </>
      }
    >
      <form
        id="number"
        className="flex gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          if (typed.trim() && !save.isPending) save.mutate();
        }}
      >
        <Field
          label={n_.number}
          autoFocus
          className="flex-1"
          inputMode="tel"
          maxLength={80}
          value={typed}
          problem={save.error?.message}
          onChange={(e) => {
            setTyped(e.target.value);
          }}
        />
        <Field
          label={n_.label}
          className="w-32"
          list={list}
          maxLength={40}
          value={label}
          onChange={(e) => {
            setLabel(e.target.value);
          }}
        />
        <datalist id={list}>
          {labels.map((l) => (
            <option key={l} value={l} />
          ))}
        </datalist>
      </form>
    </Dialog>
  );
}

/** DoNotCallDialog asks why something is not to be called. */
export function DoNotCallDialog({
  name,
  lifting = false,
  mark,
  onSaved,
  onClose,
}: {
  name: string;
  lifting?: boolean; // the mark is taken away
  mark: (reason: string) => Promise<Record>;
  onSaved: (saved: Record) => void;
  onClose: () => void;
}) {
  const [reason, setReason] = useState("");
  const save = useMutation({
    mutationFn: () => mark(reason),
    onSuccess: (saved) => {
      onSaved(saved);
      onClose();
    },
  });
  return (
    <Dialog
      open
      onClose={onClose}
      title={lifting ? t.book.liftTitle(name) : t.book.refuseTitle(name)}
      actions={
        <>
          <Button onClick={onClose}>{t.cancel}</Button>
          <Button
            look="ending"
            type="submit"
            form="do-not-call"
            disabled={save.isPending || (lifting && !reason.trim())}
          >
            {lifting ? t.book.allowCalls : t.book.refuse}
          </Button>
        </>
      }
    >
      <form
        id="do-not-call"
        onSubmit={(e) => {
          e.preventDefault();
          save.mutate();
        }}
      >
        <p className="mb-3">{lifting ? t.book.liftText : t.book.refuseText}</p>
        <Field
          label={t.book.refusedBecause}
          autoFocus
          maxLength={300}
          value={reason}
          problem={save.error?.message}
          onChange={(e) => {
            setReason(e.target.value);
          }}
        />
      </form>
    </Dialog>
  );
}
