import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import type { Schemas } from "../api/client";
import { queries } from "../api/queries";
import { parties } from "../texts/parties";
import { Button } from "../ui/button";
import { Dialog } from "../ui/dialog";
import { Select } from "../ui/field";
import { useDial } from "./dial";

const t = parties.differently;
const own = "own";

/** CallDifferently places one call another way than usual: what number is shown, by what it is spoken, whether it is recorded. */
export function CallDifferently({
  wish,
  display,
  name,
  onClose,
}: {
  wish: Schemas["NewCall"];
  display: string;
  name: string;
  onClose: () => void;
}) {
  const { dial } = useDial();
  const choices = useQuery(queries.calling).data;
  const [shown, setShown] = useState("");
  const [device, setDevice] = useState<Schemas["NewCall"]["device"]>();
  const [unrecorded, setUnrecorded] = useState(false);
  const call = () => {
    dial(
      {
        ...wish,
        ...(shown === own ? { own_number: true } : shown ? { line_id: shown } : {}),
        ...(device ? { device } : {}),
        ...(unrecorded ? { unrecorded } : {}),
      },
      name,
    );
    onClose();
  };
  return (
    <Dialog
      open
      onClose={onClose}
      title={t.title(name)}
      actions={
        <>
          <Button onClick={onClose}>{t.cancel}</Button>
          <Button look="ours" type="submit" form="differently">
            {t.call(display)}
          </Button>
        </>
      }
    >
      <form
        id="differently"
        className="flex flex-col gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          call();
        }}
      >
        <Select
          label={t.shown}
          value={shown}
          onChange={(e) => {
            setShown(e.target.value);
          }}
        >
          <option value="">{t.asUsual}</option>
          {(choices?.lines ?? []).map((l) => (
            <option key={l.id} value={l.id}>
              {`${l.label} ${l.display}`}
            </option>
          ))}
          {choices?.own_number && <option value={own}>{t.ownNumber(choices.own_number)}</option>}
        </Select>
        {choices?.own_number && (
          <Select
            label={t.device}
            value={device ?? ""}
            onChange={(e) => {
              setDevice((e.target.value || undefined) as Schemas["NewCall"]["device"]);
            }}
          >
            <option value="">{choices.by_telephone ? t.usuallyTelephone : t.usuallyBrowser}</option>
            <option value={choices.by_telephone ? "browser" : "telephone"}>
              {choices.by_telephone ? t.browser : t.telephone}
            </option>
          </Select>
        )}
        <label className="flex min-h-6 items-center gap-2">
          <input
            type="checkbox"
            checked={unrecorded}
            onChange={(e) => {
              setUnrecorded(e.target.checked);
            }}
          />
          {t.unrecorded}
        </label>
      </form>
    </Dialog>
  );
}
