import { lazy, Suspense, type ComponentProps } from "react";

const Loaded = lazy(() => import("./colleague_pick").then((m) => ({ default: m.ColleaguePick })));

/** ColleaguePick is that of colleague_pick, loaded when it is shown: for what is loaded with the first page. */
export function ColleaguePick(props: ComponentProps<typeof Loaded>) {
  return (
    <Suspense fallback={<div className={`min-h-12 ${props.className ?? ""}`} />}>
      <Loaded {...props} />
    </Suspense>
  );
}

const LoadedChoice = lazy(() => import("./choose_colleague").then((m) => ({ default: m.ChooseColleague })));

/** ChooseColleague is that of choose_colleague, loaded when it is shown. */
export function ChooseColleague(props: ComponentProps<typeof LoadedChoice>) {
  return (
    <Suspense>
      <LoadedChoice {...props} />
    </Suspense>
  );
}
