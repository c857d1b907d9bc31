import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { api, ask, type Schemas } from "../api/client";
import { keys, refresh } from "../api/keys";
import { queries } from "../api/queries";
import { useListening } from "../calls/listening";
import { insight } from "../texts/insight";
import { parties } from "../texts/parties";
import { Button } from "../ui/button";
import { Menu, MenuItem, MenuLabel } from "../ui/menu";
import { useTell } from "../ui/toast";

type Row = Schemas["WallRow"];

/** WallActs are the further ways into a conversation: to be heard by its rep alone, or by both. */
export function WallActs({ row: r }: { row: Row }) {
  const listen = useListening();
  if (!r.listen || !r.call_id) return null;
  const act = (how: Schemas["Listening"]["how"]) => () => {
    listen.mutate({ call: r.call_id ?? "", how, colleague_id: r.id });
  };
  return (
    <Menu
      align="end"
      trigger={
        <Button className="!min-h-6 !py-0" aria-label={insight.wall.more(r.name)}>
          …
        </Button>
      }
    >
      <MenuItem onSelect={act("whisper")}>{parties.listening.whisper}</MenuItem>
      <MenuItem onSelect={act("step_in")}>{parties.listening.stepIn}</MenuItem>
    </Menu>
  );
}

/** SetState puts a colleague into a state; they are told who has. */
export function SetState({ row: r }: { row: Row }) {
  const client = useQueryClient();
  const tell = useTell();
  const states = useQuery(queries.me).data?.availabilities ?? [];
  const set = useMutation({
    mutationFn: (state: string) =>
      ask(api.PUT("/api/team/{id}/availability", { params: { path: { id: r.id } }, body: { state_id: state } })),
    onError: (e) => {
      tell(e.message, { bad: true });
    },
    onSettled: () => {
      refresh(client, keys.wall(), keys.team());
    },
  });
  return (
    <Menu
      align="end"
      trigger={
        <Button look="quiet" className="!min-h-6 !py-0" aria-label={insight.wall.setOf(r.name)}>
          {insight.wall.set}
        </Button>
      }
    >
      <MenuLabel>{insight.wall.setOf(r.name)}</MenuLabel>
      {states.map((s) => (
        <MenuItem
          key={s.id}
          onSelect={() => {
            set.mutate(s.id);
          }}
        >
          {s.label}
        </MenuItem>
      ))}
    </Menu>
  );
}
