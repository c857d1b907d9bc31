import { useState } from "react";

import { routes as r } from "../texts/routes";
import { Area, Select } from "../ui/field";
import { Hear } from "./hear";

/** SpokenTexts is what is said, in English and in as many other languages as somebody adds; each can be heard. */
export function SpokenTexts({
  label,
  texts,
  onChange,
}: {
  label: string;
  texts: Record<string, string>;
  onChange: (texts: Record<string, string>) => void;
}) {
  // A language without words is left out, but for English.
  const change = (language: string, text: string) => {
    const next = Object.entries({ ...texts, [language]: text }).filter(([l, words]) => words || l === "en");
    onChange(Object.fromEntries(next));
  };
  const [added, setAdded] = useState<string[]>([]);
  const languages = Object.keys(r.languageNames);
  const shown = languages.filter((l) => l === "en" || texts[l] || added.includes(l));
  const others = languages.filter((l) => !shown.includes(l));
  return (
    <div className="flex min-w-0 flex-1 flex-col gap-2">
      {shown.map((language) => (
        <div key={language}>
          <Area
            label={language === "en" ? label : r.inLanguage(label, r.languageNames[language] ?? language)}
            rows={2}
            maxLength={1000}
            value={texts[language] ?? ""}
            onChange={(e) => {
              change(language, e.target.value);
            }}
          />
          {(texts[language] ?? "").trim() && <Hear text={texts[language] ?? ""} language={language} />}
        </div>
      ))}
      {others.length > 0 && (
        <Select
          label={r.addLanguageTo(label)}
          hidden
          aside
          className="w-44"
          value=""
          onChange={(e) => {
            if (e.target.value) setAdded([...added, e.target.value]);
          }}
        >
          <option value="">{r.addLanguage}</option>
          {others.map((l) => (
            <option key={l} value={l}>
              {r.languageNames[l]}
            </option>
          ))}
        </Select>
      )}
    </div>
  );
}
