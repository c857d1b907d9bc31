import { type ComponentProps } from "react";

import { Dialog } from "../ui/dialog";
import { ColleaguePick } from "./colleague_pick";

/** ChooseColleague asks for somebody of the firm, to whom something is given at once: it is open for as long as it is there. */
export function ChooseColleague({
  title,
  onChoose,
  onClose,
  ...rest
}: {
  title: string;
  onChoose: (id: string, name: string) => void;
  onClose: () => void;
} & Pick<ComponentProps<typeof ColleaguePick>, "only" | "before">) {
  return (
    <Dialog open onClose={onClose} title={title}>
      <ColleaguePick
        {...rest}
        label={title}
        hidden
        standing
        autoFocus
        value=""
        onChange={(id, name) => {
          onClose();
          onChoose(id, name);
        }}
      />
    </Dialog>
  );
}
