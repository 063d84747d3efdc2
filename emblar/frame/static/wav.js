// Blocks of samples as a mono WAV file of 32-bit floats.
export const wav = (blocks, rate) => {
  const count = blocks.reduce((sum, block) => sum + block.length, 0);
  const view = new DataView(new ArrayBuffer(44 + 4 * count));
  const text = (at, word) => [...word].forEach((c, i) => view.setUint8(at + i, c.charCodeAt(0)));
  text(0, "RIFF");
  view.setUint32(4, 36 + 4 * count, true);
  text(8, "WAVEfmt ");
  view.setUint32(16, 16, true);
  view.setUint16(20, 3, true);
  view.setUint16(22, 1, true);
  view.setUint32(24, rate, true);
  view.setUint32(28, 4 * rate, true);
  view.setUint16(32, 4, true);
  view.setUint16(34, 32, true);
  text(36, "data");
  view.setUint32(40, 4 * count, true);
  let at = 44;
  blocks.forEach((block) =>
    block.forEach((value) => {
      view.setFloat32(at, value, true);
      at += 4;
    }),
  );
  return new Blob([view.buffer], { type: "audio/wav" });
};
