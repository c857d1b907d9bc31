import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { api, ask } from "../api/client";
import { keys } from "../api/keys";
import { queries } from "../api/queries";
import { queues as q } from "../texts/queues";
import { IconButton } from "../ui/button";
import { Hand } from "../ui/icons";
import { Menu, MenuItem, MenuLabel } from "../ui/menu";
import { useTell } from "../ui/toast";

/** HandOn hands a message on to a queue. */
export function HandOn({ message, name }: { message: string; name: string }) {
  const client = useQueryClient();
  const tell = useTell();
  const queues = useQuery(queries.queues).data ?? [];
  const give = useMutation({
    mutationFn: (queue: { id: string; name: string }) =>
      ask(api.POST("/api/messages/{id}/queue", { params: { path: { id: message } }, body: { queue_id: queue.id } })),
    onSuccess: (_, queue) => {
      tell(q.handedOn(queue.name));
    },
    onError: (e) => {
      tell(e.message, { bad: true });
    },
    onSettled: () => void client.invalidateQueries({ queryKey: keys.lane() }),
  });
  if (queues.length === 0) return null;
  return (
    <Menu
      align="end"
      trigger={
        <IconButton label={q.handOn(name)}>
          <Hand />
        </IconButton>
      }
    >
      <MenuLabel>{q.handOnTo}</MenuLabel>
      {queues.map((x) => (
        <MenuItem
          key={x.id}
          onSelect={() => {
            give.mutate(x);
          }}
        >
          {x.name}
        </MenuItem>
      ))}
    </Menu>
  );
}
