import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "@tanstack/react-router";
import { lazy, Suspense, useState } from "react";

import { useRights } from "../api/rights";
import { keys, refresh } from "../api/keys";
import { api, ask, newKey, type Schemas } from "../api/client";
import { t } from "../texts";
import { Button } from "../ui/button";
import { Dialog } from "../ui/dialog";
import { Field, Select } from "../ui/field";
import { More } from "../ui/icons";
import { Menu, MenuItem, MenuLine } from "../ui/menu";
import { fromInput } from "../ui/times";
import { useTell } from "../ui/toast";
import { DoNotCallDialog } from "./record_numbers";
import { RemoveDialog, useRestore } from "./remove_dialog";
import { RefInput } from "./value_input";

// What is seldom wanted is not part of the first load.
const PrivacyDialog = lazy(() => import("./privacy_dialog").then((m) => ({ default: m.PrivacyDialog })));
const ConsentDialog = lazy(() => import("./consent_dialog").then((m) => ({ default: m.ConsentDialog })));

type Record = Schemas["Record"];

/** RecordActs is what can be done with a record as a whole. */
export function RecordActs({ record }: { record: Record }) {
  const client = useQueryClient();
  const navigate = useNavigate();
  const tell = useTell();
  const rights = useRights();
  const [dialog, setDialog] = useState<"convert" | "refuse" | "lift" | "remove" | "privacy" | "consent">();
  const [lane, setLane] = useState<Schemas["FollowUp"]>();
  const person = record.kind === "contact" || record.kind === "lead";
  const callable = person || record.kind === "company";
  const close = () => {
    setDialog(undefined);
  };
  const set = (saved: Record) => {
    client.setQueryData(keys.record(saved.id), saved);
    refresh(client, keys.rows(), keys.history(), keys.lane());
  };
  const failed = (e: Error) => {
    tell(e.message, { bad: true });
  };
  const mark = (on: boolean, reason: string) =>
    ask(api.PUT("/api/records/{id}/do-not-call", { params: { path: { id: record.id } }, body: { on, reason } }));
  const change = useMutation({ mutationFn: (work: () => Promise<Record>) => work(), onSuccess: set, onError: failed });
  const restore = useRestore(record.id);
  const remove = useMutation({
    mutationFn: () => ask(api.DELETE("/api/records/{id}", { params: { path: { id: record.id } } })),
    onSuccess: () => {
      void client.invalidateQueries({ queryKey: keys.rows() });
      tell(t.book.removed(record.name), {
        action: {
          label: t.book.restore,
          run: () => {
            restore.mutate();
          },
        },
      });
      void navigate({ to: "/people", search: {} });
    },
    onError: failed,
  });
  const toLane = useMutation({
    mutationFn: () =>
      ask(
        api.POST("/api/records/{id}/follow-ups", {
          params: { path: { id: record.id }, header: { "Idempotency-Key": newKey() } },
          body: { text: t.number.callBack },
        }),
      ),
    onSuccess: (made) => {
      refresh(client, keys.lane(), keys.record());
      tell(t.book.onLane(record.name), {
        action: {
          label: t.book.laneDate,
          run: () => {
            setLane(made);
          },
        },
      });
    },
    onError: failed,
  });
  const take = useMutation({
    mutationFn: () => ask(api.POST("/api/exports", { body: { format: "vcard", selection: { ids: [record.id] } } })),
    onSuccess: (e) => {
      location.assign(e.address);
    },
    onError: failed,
  });
  return (
    <>
      <Button
        disabled={toLane.isPending}
        onClick={() => {
          toLane.mutate();
        }}
      >
        {t.book.toLane}
      </Button>
      <Menu
        align="end"
        trigger={
          <Button>
            {t.book.more} <More />
          </Button>
        }
      >
        {record.kind === "lead" && (
          <MenuItem
            onSelect={() => {
              setDialog("convert");
            }}
          >
            {t.book.convert}
          </MenuItem>
        )}
        {callable && (!record.do_not_call || rights.may("lift_do_not_call")) && (
          <MenuItem
            onSelect={() => {
              setDialog(record.do_not_call ? "lift" : "refuse");
            }}
          >
            {record.do_not_call ? t.book.allowCalls : t.book.doNotCall}
          </MenuItem>
        )}
        {person && (
          <MenuItem
            onSelect={() => {
              change.mutate(() =>
                ask(
                  api.PUT("/api/records/{id}/message-consent", {
                    params: { path: { id: record.id } },
                    body: { on: !record.message_consent },
                  }),
                ),
              );
            }}
          >
            {record.message_consent ? t.voice.consent.take : t.voice.consent.give}
          </MenuItem>
        )}
        {person && (
          <MenuItem
            onSelect={() => {
              setDialog("consent");
            }}
          >
            {t.book.consent}
          </MenuItem>
        )}
        {person && rights.may("privacy") && (
          <MenuItem
            onSelect={() => {
              setDialog("privacy");
            }}
          >
            {t.book.privacy}
          </MenuItem>
        )}
        {callable && rights.may("export") && (
          <MenuItem
            onSelect={() => {
              take.mutate();
            }}
          >
            {t.book.downloadCard}
          </MenuItem>
        )}
        {record.merge && (
          <MenuItem
            onSelect={() => {
              const merge = record.merge;
              if (merge) {
                change.mutate(async () => {
                  const back = await ask(api.POST("/api/merges/{id}/undo", { params: { path: { id: merge } } }));
                  tell(t.book.mergeUndone);
                  return back;
                });
              }
            }}
          >
            {t.book.mergeUndo}
          </MenuItem>
        )}
        {record.may_remove && (
          <>
            <MenuLine />
            <MenuItem
              onSelect={() => {
                setDialog("remove");
              }}
            >
              {t.book.remove}
            </MenuItem>
          </>
        )}
      </Menu>
      <Suspense fallback={null}>
        {dialog === "privacy" && <PrivacyDialog record={record} onClose={close} />}
        {dialog === "consent" && <ConsentDialog record={record} onClose={close} />}
      </Suspense>
      {dialog === "remove" && (
        <RemoveDialog
          record={record}
          busy={remove.isPending}
          remove={() => {
            remove.mutate();
          }}
          onClose={close}
        />
      )}
      {dialog === "lift" && (
        <DoNotCallDialog
          lifting
          name={record.name}
          mark={(reason) => mark(false, reason)}
          onSaved={set}
          onClose={close}
        />
      )}
      {dialog === "convert" && <ConvertDialog record={record} onSaved={set} onClose={close} />}
      {dialog === "refuse" && (
        <DoNotCallDialog name={record.name} mark={(reason) => mark(true, reason)} onSaved={set} onClose={close} />
      )}
      {lane && (
        <LaneDialog
          name={record.name}
          followUp={lane}
          onClose={() => {
            setLane(undefined);
          }}
        />
      )}
    </>
  );
}

/** LaneDialog says what is to be done with somebody who was put on the lane, and when. */
function LaneDialog({ name, followUp, onClose }: { name: string; followUp: Schemas["FollowUp"]; onClose: () => void }) {
  const client = useQueryClient();
  const [text, setText] = useState(followUp.text);
  const [when, setWhen] = useState("");
  const save = useMutation({
    mutationFn: () =>
      ask(
        api.PATCH("/api/follow-ups/{id}", {
          params: { path: { id: followUp.id } },
          body: { version: followUp.version, text, ...(when ? { due_at: fromInput(when) } : {}) },
        }),
      ),
    onSuccess: () => {
      refresh(client, keys.lane(), keys.record());
      onClose();
    },
  });
  return (
    <Dialog
      open
      onClose={onClose}
      title={t.book.onLane(name)}
      actions={
        <>
          <Button onClick={onClose}>{t.cancel}</Button>
          <Button look="ours" type="submit" form="to-lane" disabled={save.isPending || !text.trim()}>
            {t.save}
          </Button>
        </>
      }
    >
      <form
        id="to-lane"
        className="flex flex-col gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          if (text.trim() && !save.isPending) save.mutate();
        }}
      >
        <Field
          label={t.book.laneWhat}
          maxLength={500}
          value={text}
          problem={save.error?.message}
          onChange={(e) => {
            setText(e.target.value);
          }}
        />
        <Field
          label={t.book.laneWhen}
          type="datetime-local"
          autoFocus
          value={when}
          onChange={(e) => {
            setWhen(e.target.value);
          }}
        />
      </form>
    </Dialog>
  );
}

const c = t.book.convert_;

/** ConvertDialog makes a contact of a lead. */
function ConvertDialog({
  record,
  onSaved,
  onClose,
}: {
  record: Record;
  onSaved: (saved: Record) => void;
  onClose: () => void;
}) {
  const [how, setHow] = useState<"none" | "existing" | "new">(record.company ? "existing" : "none");
  const [company, setCompany] = useState(record.company ?? undefined);
  const [name, setName] = useState("");
  const [deal, setDeal] = useState("");
  const [amount, setAmount] = useState("");
  const save = useMutation({
    mutationFn: () =>
      ask(
        api.POST("/api/records/{id}/convert", {
          params: { path: { id: record.id } },
          body: {
            version: record.version,
            ...(how === "existing" && company ? { company_id: company.id } : {}),
            ...(how === "new" && name.trim() ? { company_name: name } : {}),
            ...(deal.trim() ? { deal_name: deal, ...(amount.trim() ? { deal_amount: amount } : {}) } : {}),
          },
        }),
      ),
    onSuccess: (saved) => {
      onSaved(saved);
      onClose();
    },
  });
  return (
    <Dialog
      open
      onClose={onClose}
      title={c.title(record.name)}
      actions={
        <>
          <Button onClick={onClose}>{t.cancel}</Button>
          <Button look="ours" type="submit" form="convert" disabled={save.isPending}>
            {c.go}
          </Button>
        </>
      }
    >
      <form
        id="convert"
        className="flex flex-col gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          if (!save.isPending) save.mutate();
        }}
      >
        <p>{c.text}</p>
        <Select
          label={c.company}
          value={how}
          onChange={(e) => {
            setHow(e.target.value as "none");
          }}
        >
          <option value="none">{c.noCompany}</option>
          <option value="existing">{c.existing}</option>
          <option value="new">{c.fresh}</option>
        </Select>
        {how === "existing" && (
          <RefInput
            label={c.companyName}
            kinds={["company"]}
            value={company?.id ?? ""}
            name={company?.name}
            onChange={setCompany}
          />
        )}
        {how === "new" && (
          <Field
            label={c.companyName}
            autoFocus
            maxLength={300}
            value={name}
            onChange={(e) => {
              setName(e.target.value);
            }}
          />
        )}
        <div className="flex gap-3">
          <Field
            label={c.deal}
            className="flex-1"
            maxLength={300}
            value={deal}
            onChange={(e) => {
              setDeal(e.target.value);
            }}
          />
          <Field
            label={c.amount}
            className="w-32"
            maxLength={60}
            value={amount}
            onChange={(e) => {
              setAmount(e.target.value);
            }}
          />
        </div>
        {save.error && (
          <p role="alert" className="text-ending">
            {save.error.message}
          </p>
        )}
      </form>
    </Dialog>
  );
}
