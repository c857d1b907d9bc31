import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link, Outlet, useNavigate } from "@tanstack/react-router";
import { useEffect, useState } from "react";

import { keys } from "../api/keys";
import { api, ask, type Me } from "../api/client";
import { startLive, useConnection } from "../api/live";
import { queries } from "../api/queries";
import { DialProvider } from "../calls/dial";
import { dropDrafts } from "../filing/drafts";
import { dropSettingsDrafts } from "../settings/draft";
import { flushNotes } from "../filing/notes_keeper";
import { DeskStrip } from "../calls/strip";
import { Lane } from "../lane/lane";
import { useReminders } from "../lane/reminders";
import { t } from "../texts";
import { Mark, More } from "../ui/icons";
import { Menu, MenuChoices, MenuItem, MenuLabel, MenuLine } from "../ui/menu";
import { useTell } from "../ui/toast";
import { dropUnsent } from "../ui/unsent";
import { SoundMenu, useSoundWhenNeeded } from "../calls/sound_menu";
import { dropSound } from "../calls/sound";
import { CommandBar } from "./command_bar";
import { FindField } from "./find";
import { holdForDesk, letGoForDesk, useKey } from "./keys";
import { KeysDialog } from "./keys_dialog";
import { setTheme, type Theme, theme } from "./theme";
import { usePageTitle } from "./page_title";
import { fetchPages } from "./pages";
import { Prove } from "./prove";

/** Reminders says when a follow-up's time has come. */
function Reminders() {
  useReminders();
  return null;
}

/** Frame is what never changes place: the band above, the lane at the left, the desk strip, and the sheet below it. */
export function Frame() {
  const client = useQueryClient();
  const navigate = useNavigate();
  const [keysShown, setKeysShown] = useState(false);
  useEffect(() => {
    const stopLive = startLive(client, () => {
      client.clear();
      void navigate({ to: "/sign-in" });
    });
    return stopLive;
  }, [client, navigate]);
  // Until the slip that may lie on the desk is known, nobody can say what a key means.
  const known = useQuery(queries.desk).isFetched;
  useEffect(() => {
    if (known) letGoForDesk();
    else holdForDesk();
    return letGoForDesk;
  }, [known]);
  useEffect(() => {
    if (known) fetchPages();
  }, [known]);
  useSoundWhenNeeded();
  usePageTitle();
  useKey("help", () => {
    setKeysShown(true);
  });
  useKey("today", () => void navigate({ to: "/" }));
  useKey("people", () => void navigate({ to: "/people", search: {} }));
  useKey("calls", () => void navigate({ to: "/calls", search: {} }));
  useKey("team", () => void navigate({ to: "/team" }));
  useKey("lists", () => void navigate({ to: "/lists" }));
  return (
    <DialProvider>
      <Reminders />
      <CommandBar />
      <a href="#sheet" className="sr-only focus:not-sr-only focus:absolute focus:z-50 focus:bg-sheet focus:p-2">
        {t.skip}
      </a>
      <div className="flex h-dvh flex-col">
        <Band
          onKeys={() => {
            setKeysShown(true);
          }}
        />
        <div className="flex min-h-0 flex-1">
          <Lane />
          <div className="flex min-w-0 flex-1 flex-col bg-sheet max-[63.9rem]:overflow-y-auto">
            <Away />
            <DeskStrip />
            <main
              id="sheet"
              tabIndex={-1}
              className="flex min-h-0 flex-1 flex-col overflow-y-auto px-5.5 py-4 outline-none max-[63.9rem]:min-h-[70vh] max-[63.9rem]:flex-none max-[63.9rem]:overflow-visible max-[63.9rem]:px-3.5"
            >
              <Outlet />
            </main>
          </div>
        </div>
      </div>
      <Prove />
      <KeysDialog
        open={keysShown}
        onClose={() => {
          setKeysShown(false);
        }}
      />
    </DialProvider>
  );
}

const section =
  "inline-flex min-h-7 items-center border-b-2 border-transparent text-quiet hover:text-ink data-[status=active]:border-ours data-[status=active]:font-semibold data-[status=active]:text-ink";

function Band({ onKeys }: { onKeys: () => void }) {
  return (
    <header className="flex min-h-12 shrink-0 items-center gap-4 border-b border-rule-strong px-3.5 max-[63.9rem]:flex-wrap max-[63.9rem]:gap-x-4 max-[63.9rem]:gap-y-1 max-[63.9rem]:py-1">
      <Link to="/" className="flex w-61 shrink-0 items-center gap-2.5 text-[1.0625rem] max-[63.9rem]:w-auto">
        <Mark />
        <span className="name">{t.name}</span>
      </Link>
      <FindField />
      <nav aria-label={t.name} className="flex gap-3.5 max-[63.9rem]:flex-wrap max-[63.9rem]:gap-y-0">
        <Link to="/" activeOptions={{ exact: true }} className={section}>
          {t.sections.today}
        </Link>
        <Link to="/lane" className={`${section} min-[64rem]:hidden`}>
          {t.lane.title}
        </Link>
        <Link to="/people" search={{}} activeOptions={{ includeSearch: false }} className={section}>
          {t.sections.people}
        </Link>
        <Link to="/lists" className={section}>
          {t.sections.lists}
        </Link>
        <Link to="/calls" search={{}} activeOptions={{ includeSearch: false }} className={section}>
          {t.sections.calls}
        </Link>
        <Link to="/team" className={section}>
          {t.sections.team}
        </Link>
        <Link to="/insight" className={section}>
          {t.sections.insight}
        </Link>
        <Link to="/settings" search={{}} activeOptions={{ includeSearch: false }} className={section}>
          {t.sections.settings}
        </Link>
      </nav>
      <div className="ml-auto flex min-w-0 items-center gap-1">
        <SoundMenu />
        <MyMenu onKeys={onKeys} />
      </div>
    </header>
  );
}

function MyMenu({ onKeys }: { onKeys: () => void }) {
  const me = useQuery(queries.me).data;
  const client = useQueryClient();
  const navigate = useNavigate();
  const tell = useTell();
  const [look, setLook] = useState<Theme>(theme);
  const signOut = useMutation({
    mutationFn: async () => {
      await flushNotes(); // what is not saved yet is, first
      await ask(api.DELETE("/api/session"));
      dropDrafts();
      dropSettingsDrafts();
      dropUnsent();
    },
    onSettled: async () => {
      dropSound();
      await navigate({ to: "/sign-in" });
      client.clear();
    },
  });
  const setAvailability = useMutation({
    mutationFn: (availability: string) => ask(api.PUT("/api/me/availability", { body: { availability } })),
    onError: (e) => {
      tell(e.message, { bad: true });
    },
    onSuccess: (_, availability) => {
      client.setQueryData(keys.me(), (now: Me | undefined) => {
        const state = now?.availabilities.find((x) => x.id === availability);
        return now && state ? { ...now, availability: state } : now;
      });
    },
  });
  if (!me) return null;
  const away = !me.availability.takes_calls;
  return (
    <div className="min-w-0">
      <Menu
        align="end"
        trigger={
          <button
            type="button"
            className="flex min-h-8 max-w-full min-w-0 items-center gap-2 rounded-sm px-2 hover:bg-rule/60"
          >
            <span
              aria-hidden
              className={`size-2.5 shrink-0 rounded-full ${away ? "border-2 border-edge" : "bg-theirs"}`}
            />
            <span className="truncate text-quiet">
              <span className="text-ink">{me.name}</span> · {me.availability.label}
              {me.line && (
                <>
                  {" "}
                  · <span className="font-semibold">{me.line}</span>
                </>
              )}
            </span>
            <span className="sr-only">{t.me.menu}</span>
            <More />
          </button>
        }
      >
        <MenuLabel>{t.me.availability}</MenuLabel>
        <MenuChoices
          value={me.availability.id}
          onChange={(next) => {
            setAvailability.mutate(next);
          }}
          options={me.availabilities.map((x) => ({ value: x.id, label: x.label }))}
        />
        <MenuLine />
        <MenuLabel>{t.me.appearance}</MenuLabel>
        <MenuChoices
          value={look}
          onChange={(next) => {
            setLook(next as Theme);
            setTheme(next as Theme);
          }}
          options={[
            { value: "system", label: t.me.system },
            { value: "light", label: t.me.light },
            { value: "dark", label: t.me.dark },
          ]}
        />
        <MenuLine />
        {me.simulated && (
          <MenuItem onSelect={() => window.open("/outside", "outside", "width=460,height=640")}>
            {t.outside.title}
          </MenuItem>
        )}
        <MenuItem onSelect={onKeys}>{t.me.keys}</MenuItem>
        <MenuItem onSelect={() => void navigate({ to: "/settings", search: {} })}>{t.sections.settings}</MenuItem>
        <MenuItem
          onSelect={() => {
            signOut.mutate();
          }}
        >
          {t.me.signOut}
        </MenuItem>
      </Menu>
    </div>
  );
}

/** Away says when the server or its database is not reached, and what is kept meanwhile. */
function Away() {
  const { connected, away, stopping } = useConnection();
  if (connected && !away && !stopping) return null;
  return (
    <p role="status" data-testid="away" className="border-b border-waiting bg-waiting-soft px-5.5 py-1.5 text-waiting">
      {!connected ? t.away.network : away ? t.away.database : t.away.stopping}
    </p>
  );
}
