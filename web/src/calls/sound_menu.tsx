import { useQuery } from "@tanstack/react-query";
import { useNavigate } from "@tanstack/react-router";
import { useEffect } from "react";

import { queries } from "../api/queries";
import { t } from "../texts";
import { Menu, MenuItem, MenuLabel } from "../ui/menu";
import { useTelephone } from "./telephone";
import { dropSound, ensureSound, takeSound, useSound } from "./sound";

/** useSoundWhenNeeded connects the sound once the rep takes calls or is in one. */
export function useSoundWhenNeeded() {
  const me = useQuery(queries.me).data;
  const desk = useQuery(queries.desk).data;
  const needed =
    me?.sound === true && (me.availability.takes_calls || desk?.calls.some((c) => c.state.phase !== "ended") === true);
  useEffect(() => {
    if (needed) ensureSound();
  }, [needed]);
}

/** SoundMenu says how this window's sound stands; a word stands beside the sign only where something is not as it should be. */
export function SoundMenu() {
  const { status, why } = useSound();
  const me = useQuery(queries.me).data;
  const navigate = useNavigate();
  const { telephone, act, dialIn } = useTelephone();
  const own = useQuery({ ...queries.telephone, enabled: me?.sound === true }).data?.verified;
  if (!me?.sound) return null;
  const byTelephone = telephone?.state === "up";
  const fine = byTelephone || status === "on" || status === "off" || status === "connecting";
  return (
    <Menu
      align="end"
      trigger={
        <button
          type="button"
          data-testid="sound"
          data-status={status}
          title={why || t.voice.status[status]}
          className={`flex min-h-8 items-center gap-1.5 rounded-sm px-1.5 text-sm whitespace-nowrap hover:bg-rule/60 ${fine ? "text-quiet" : "text-waiting"}`}
        >
          <SoundSign on={status === "on" || status === "listening"} />
          <span className={fine && !byTelephone ? "sr-only" : "max-[80rem]:sr-only"}>
            {byTelephone ? t.voice.telephone.up : t.voice.status[status]}
          </span>
        </button>
      }
    >
      <MenuLabel>{byTelephone ? t.voice.telephone.up : t.voice.status[status]}</MenuLabel>
      {why && <p className="max-w-72 px-3 pb-1.5 text-sm text-waiting">{why}</p>}
      {status === "elsewhere" && <MenuItem onSelect={takeSound}>{t.voice.take}</MenuItem>}
      {(status === "off" || status === "failed") && <MenuItem onSelect={ensureSound}>{t.voice.connect}</MenuItem>}
      {status === "listening" && <MenuItem onSelect={takeSound}>{t.voice.again}</MenuItem>}
      {own && (
        <MenuItem
          onSelect={() => {
            act.mutate(telephone?.state === "down");
          }}
        >
          {telephone?.state === "down" ? t.voice.telephone.stand : t.voice.telephone.hangUp}
        </MenuItem>
      )}
      {own && telephone?.state === "down" && (
        <MenuItem
          onSelect={() => {
            dialIn.mutate();
          }}
        >
          {t.voice.telephone.dialIn}
        </MenuItem>
      )}
      {status !== "off" && <MenuItem onSelect={dropSound}>{t.voice.drop}</MenuItem>}
      <MenuItem onSelect={() => void navigate({ to: "/settings", search: { tab: "sound" } })}>
        {t.voice.settings}
      </MenuItem>
    </Menu>
  );
}

/** SoundSign is three bars of a voice trace, hollow while nothing can be heard. */
function SoundSign({ on }: { on: boolean }) {
  return (
    <svg viewBox="0 0 18 16" className="h-4 w-4.5" aria-hidden>
      {[
        [2, 5],
        [8, 1],
        [14, 4],
      ].map(([x = 0, y = 0]) => (
        <rect
          key={x}
          x={x}
          y={y}
          width="3"
          height={16 - 2 * y}
          rx="1"
          className={on ? "fill-theirs" : "fill-none stroke-edge"}
        />
      ))}
    </svg>
  );
}
