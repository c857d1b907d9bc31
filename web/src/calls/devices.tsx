import { useEffect, useState } from "react";

import { t } from "../texts";
import { Button } from "../ui/button";
import { ringDevice, setRingDevice } from "./ring_choices";
import { chimeOnce } from "./ring_sound";
import { Select } from "../ui/field";
import { LineTest } from "./line";
import { setLoudspeaker, setMicrophone, setVolume, takeSound, useSound, watchLevel } from "./sound";
import { TelephoneSettings } from "./telephone";

const d = t.voice.devices;

/** useDevices are what this browser can hear with and speak by. */
function useDevices() {
  const [devices, setDevices] = useState<MediaDeviceInfo[]>([]);
  useEffect(() => {
    const media = (navigator as Partial<Navigator>).mediaDevices;
    if (!media) return;
    const read = () => void media.enumerateDevices().then(setDevices);
    read();
    media.addEventListener("devicechange", read);
    return () => {
      media.removeEventListener("devicechange", read);
    };
  }, []);
  return devices;
}

/** SoundSettings are the settings of sound: this browser's, and one's own telephone. */
export function SoundSettings() {
  return (
    <>
      <Devices />
      <TelephoneSettings />
    </>
  );
}

/** Devices are the settings of sound in this browser. */
function Devices() {
  const sound = useSound();
  const devices = useDevices();
  const [level, setLevel] = useState(0);
  const [ring, setRing] = useState(ringDevice);
  useEffect(() => (sound.status === "on" ? watchLevel(setLevel) : undefined), [sound.status, sound.microphone]);
  const choices = (kind: MediaDeviceKind) => [
    <option key="" value="">
      {d.usual}
    </option>,
    ...devices
      .filter((x) => x.kind === kind && x.deviceId !== "" && x.deviceId !== "default")
      .map((x, i) => (
        <option key={x.deviceId} value={x.deviceId}>
          {x.label || `${i + 1}`}
        </option>
      )),
  ];
  return (
    <section aria-label={d.title} className="flex max-w-xl flex-col gap-3" data-testid="devices">
      <p className="text-quiet">{d.intro}</p>
      <p className={sound.status === "on" ? "text-theirs" : "text-waiting"}>
        {t.voice.status[sound.status]}
        {sound.why && `. ${sound.why}`}
      </p>
      <Select
        label={d.microphone}
        value={sound.microphone}
        onChange={(e) => {
          void setMicrophone(e.target.value);
        }}
      >
        {choices("audioinput")}
      </Select>
      <div>
        <p className="text-sm text-quiet">{d.level}</p>
        <svg
          role="meter"
          aria-label={d.level}
          aria-valuemin={0}
          aria-valuemax={100}
          aria-valuenow={Math.round(level * 100)}
          viewBox="0 0 100 8"
          preserveAspectRatio="none"
          className="mt-1 block h-3 w-full rounded-sm border border-rule-strong bg-paper"
        >
          <rect width={level * 100} height="8" className="fill-ours" />
        </svg>
      </div>
      <Select
        label={d.loudspeaker}
        value={sound.loudspeaker}
        onChange={(e) => {
          setLoudspeaker(e.target.value);
        }}
      >
        {choices("audiooutput")}
      </Select>
      <div className="flex items-end gap-3">
        <Select
          label={t.voice.line.ring}
          value={ring}
          className="flex-1"
          onChange={(e) => {
            setRing(e.target.value);
            setRingDevice(e.target.value);
          }}
        >
          {choices("audiooutput")}
        </Select>
        <Button onClick={() => void chimeOnce()}>{t.voice.line.ringTest}</Button>
      </div>
      <label className="flex flex-col text-sm text-quiet">
        {d.volume}
        <input
          type="range"
          className="accent-ours"
          min={0}
          max={1}
          step={0.05}
          value={sound.volume}
          onChange={(e) => {
            setVolume(Number(e.target.value));
          }}
        />
      </label>
      <LineTest />
      {sound.status !== "on" && (
        <div>
          <Button look="ours" onClick={takeSound}>
            {t.voice.connect}
          </Button>
        </div>
      )}
    </section>
  );
}
