import type { Schemas } from "../api/client";
import { routes as r } from "../texts/routes";
import { Button, IconButton } from "../ui/button";
import { Cross, More, Plus } from "../ui/icons";
import { Menu, MenuItem, MenuLabel } from "../ui/menu";
import type { Step } from "./route_tree";

type Line = Schemas["RouteLine"];

/** places are those at which steps are offered: what most routes need comes first, and none is left out. */
const places: Record<Step["do"], number> = {
  say: 1,
  menu: 2,
  queue: 3,
  ring: 4,
  owner: 5,
  voicemail: 6,
  when: 7,
  digits: 8,
  tell: 9,
  callback: 10,
  survey: 11,
  language: 12,
  route: 13,
  outside: 14,
  again: 15,
  end: 16,
};
const order = (Object.keys(places) as Step["do"][]).sort((a, b) => places[a] - places[b]);

function Kinds({ onAdd }: { onAdd: (does: Step["do"]) => void }) {
  return order.map((does) => (
    <MenuItem key={does} onSelect={() => onAdd(does)}>
      {r.does[does]}
    </MenuItem>
  ));
}

/** AddMenu adds a step at the end of a block. */
export function AddMenu({ label, onAdd }: { label: string; onAdd: (does: Step["do"]) => void }) {
  return (
    <Menu trigger={<Button className="mt-2">{label}</Button>}>
      <Kinds onAdd={onAdd} />
    </Menu>
  );
}

/** LineMenu is what can be done with a line of the outline. */
export function LineMenu({
  line: l,
  onAdd,
  onMove,
  onRemove,
}: {
  line: Line;
  onAdd: (does: Step["do"], under: boolean) => void;
  onMove: (by: -1 | 1) => void;
  onRemove: () => void;
}) {
  const shown = "opacity-0 group-focus-within:opacity-100 group-hover:opacity-100 data-[state=open]:opacity-100";
  const own = !l.lead || l.key === "";
  return (
    <span className="flex shrink-0 pt-0.5">
      {l.lead && (
        <Menu
          align="end"
          trigger={
            <IconButton label={`${r.addUnder}: ${l.text}`} className={shown}>
              <Plus />
            </IconButton>
          }
        >
          <MenuLabel>{r.addUnder}</MenuLabel>
          <Kinds onAdd={(does) => onAdd(does, true)} />
        </Menu>
      )}
      {own && (
        <>
          <Menu
            align="end"
            trigger={
              <IconButton label={`${r.addAfter}: ${l.text}`} className={shown}>
                {l.lead ? <More /> : <Plus />}
              </IconButton>
            }
          >
            <MenuItem onSelect={() => onMove(-1)}>{r.up}</MenuItem>
            <MenuItem onSelect={() => onMove(1)}>{r.down}</MenuItem>
            <MenuLabel>{r.addAfter}</MenuLabel>
            <Kinds onAdd={(does) => onAdd(does, false)} />
          </Menu>
          <IconButton label={`${r.remove}: ${l.text}`} className={shown} onClick={onRemove}>
            <Cross />
          </IconButton>
        </>
      )}
    </span>
  );
}
