// How a rep wishes to hear that it rings; kept by the browser.
const soundKey = "trundo.ring-sound";
const deviceKey = "trundo.ring-device";

export const read = (key: string) => {
  try {
    return localStorage.getItem(key);
  } catch {
    return null;
  }
};
export const write = (key: string, value: string) => {
  try {
    localStorage.setItem(key, value);
  } catch {
    // good for this window, then
  }
};

export const ringDevice = () => read(deviceKey) ?? "";
export const setRingDevice = (device: string) => {
  write(deviceKey, device);
};

export const ringsAloud = () => read(soundKey) !== "off";
export const setRingsAloud = (on: boolean) => {
  write(soundKey, on ? "on" : "off");
};
