import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "@tanstack/react-router";
import { useState } from "react";

import { api, ask, newKey, type Schemas } from "../api/client";
import { keys, refresh } from "../api/keys";
import { insight } from "../texts/insight";
import { Button } from "../ui/button";
import { Dialog } from "../ui/dialog";
import { Area, Check, Field, Select } from "../ui/field";
import { useTell } from "../ui/toast";
import type { Query } from "./asked";

const r = insight.report;

type Saved = Schemas["SavedReport"];

/** SaveReport keeps a report: for oneself or for all, on Today, mailed again and again. */
export function SaveReport({ query, saved, name }: { query: Query; saved: Saved | undefined; name: string }) {
  const [open, setOpen] = useState(false);
  return (
    <>
      <Button
        onClick={() => {
          setOpen(true);
        }}
      >
        {saved ? r.save : r.saveAs}
      </Button>
      {open && (
        <Form
          query={query}
          saved={saved}
          name={name}
          onClose={() => {
            setOpen(false);
          }}
        />
      )}
    </>
  );
}

function Form({
  query,
  saved,
  name,
  onClose,
}: {
  query: Query;
  saved: Saved | undefined;
  name: string;
  onClose: () => void;
}) {
  const client = useQueryClient();
  const navigate = useNavigate();
  const tell = useTell();
  const [key] = useState(newKey);
  const [form, setForm] = useState({
    name,
    shared: saved?.shared ?? false,
    today: saved?.on_today ?? false,
    every: saved?.every ?? "",
    to: (saved?.mail_to ?? []).join("\n"),
  });
  const set = (change: Partial<typeof form>) => {
    setForm({ ...form, ...change });
  };
  const body = (): Schemas["ReportToSave"] => ({
    name: form.name,
    query,
    shared: form.shared,
    on_today: form.today,
    every: form.every as "" | "day" | "week" | "month",
    mail_to: form.to.split("\n").filter((line) => line.trim()),
    ...(saved ? { version: saved.version } : {}),
  });
  const save = useMutation({
    mutationFn: () =>
      saved
        ? ask(api.PUT("/api/reports/{id}", { params: { path: { id: saved.id } }, body: body() }))
        : ask(api.POST("/api/reports", { params: { header: { "Idempotency-Key": key } }, body: body() })),
    onSuccess: (kept) => {
      refresh(client, keys.reports());
      tell(r.saved(kept.name));
      onClose();
      void navigate({ to: "/insight", search: { report: kept.id }, replace: true });
    },
  });
  const remove = useMutation({
    mutationFn: (id: string) => ask(api.DELETE("/api/reports/{id}", { params: { path: { id } } })),
    onSuccess: () => {
      refresh(client, keys.reports());
      tell(r.deleted(form.name));
      onClose();
      void navigate({ to: "/insight", search: {} });
    },
  });
  return (
    <Dialog
      open
      onClose={onClose}
      title={saved ? r.save : r.saveAs}
      actions={
        <>
          {saved && (
            <Button
              look="quiet"
              disabled={remove.isPending}
              onClick={() => {
                remove.mutate(saved.id);
              }}
            >
              {r.remove}
            </Button>
          )}
          <Button look="ours" type="submit" form="save-report" disabled={!form.name.trim() || save.isPending}>
            {r.save}
          </Button>
        </>
      }
    >
      <form
        id="save-report"
        className="flex flex-col gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          if (form.name.trim() && !save.isPending) save.mutate();
        }}
      >
        <Field
          label={r.name}
          autoFocus
          maxLength={80}
          value={form.name}
          onChange={(e) => {
            set({ name: e.target.value });
          }}
        />
        <Check
          label={r.share}
          checked={form.shared}
          onChange={(e) => {
            set({ shared: e });
          }}
        />
        <Check
          label={r.today}
          checked={form.today}
          onChange={(e) => {
            set({ today: e });
          }}
        />
        <Select
          label={r.every}
          value={form.every}
          onChange={(e) => {
            set({ every: e.target.value });
          }}
        >
          {Object.entries(r.everies).map(([value, label]) => (
            <option key={value} value={value}>
              {label}
            </option>
          ))}
        </Select>
        {form.every && (
          <Area
            label={r.to}
            rows={3}
            value={form.to}
            onChange={(e) => {
              set({ to: e.target.value });
            }}
          />
        )}
        {(save.error ?? remove.error) && (
          <p role="alert" className="text-ending">
            {(save.error ?? remove.error)?.message}
          </p>
        )}
      </form>
    </Dialog>
  );
}
