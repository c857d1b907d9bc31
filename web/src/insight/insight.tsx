import { useNavigate, useSearch } from "@tanstack/react-router";

import { insight as x } from "../texts/insight";
import { Tabs } from "../ui/tabs";
import { FindCalls } from "./find_calls";
import { MyScores } from "./my_scores";
import { Reports } from "./reports";
import { Sources } from "./sources";

/** Insight is what calls say: reports, the calls behind them, where calls come from, and how one's own were scored. */
export function Insight() {
  const navigate = useNavigate();
  const { tab } = useSearch({ from: "/frame/insight" });
  const now = tab ?? "reports";
  return (
    <div className="flex min-h-0 flex-1 flex-col">
      <div className="mb-3 flex flex-wrap items-end gap-6">
        <h1 className="name text-xl">{x.title}</h1>
        <Tabs
          label={x.title}
          value={now}
          onChange={(next) =>
            void navigate({ to: "/insight", search: next === "reports" ? {} : { tab: next as typeof tab } })
          }
          options={(["reports", "calls", "sources", "scores"] as const).map((value) => ({
            value,
            label: x.tabs[value],
          }))}
        />
      </div>
      {now === "reports" && <Reports />}
      {now === "calls" && <FindCalls />}
      {now === "sources" && <Sources />}
      {now === "scores" && <MyScores />}
    </div>
  );
}
