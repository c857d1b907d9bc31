/** softTone sounds for a moment: two soft notes, as far as the browser lets a page sound. */
export function softTone() {
  try {
    const context = new AudioContext();
    [523, 659].forEach((hertz, i) => {
      const note = context.createOscillator();
      const loud = context.createGain();
      const from = context.currentTime + i * 0.18;
      note.frequency.value = hertz;
      loud.gain.setValueAtTime(0.06, from);
      loud.gain.exponentialRampToValueAtTime(0.001, from + 0.3);
      note.connect(loud).connect(context.destination);
      note.start(from);
      note.stop(from + 0.32);
      note.onended = () => {
        if (i === 1) void context.close();
      };
    });
  } catch {
    // the words say it too
  }
}
