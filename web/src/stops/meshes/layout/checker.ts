// The checker: cells named by column and row, with an arrow up, so that turns, mirrors and sizes can be read off.
const CELLS = 16;
const CELL = 128;

export function drawChecker(): HTMLCanvasElement {
  const canvas = document.createElement("canvas");
  canvas.width = CELLS * CELL;
  canvas.height = CELLS * CELL;
  const context = canvas.getContext("2d");
  if (!context) return canvas;
  context.textAlign = "center";
  context.textBaseline = "middle";
  for (let row = 0; row < CELLS; row++) {
    for (let column = 0; column < CELLS; column++) {
      const [x, y] = [column * CELL, (CELLS - 1 - row) * CELL];
      const dark = (row + column) % 2 === 0;
      context.fillStyle = dark ? "#8d8a84" : "#c9c6bf";
      context.fillRect(x, y, CELL, CELL);
      context.strokeStyle = "#5b5853";
      context.lineWidth = row % 4 === 0 || column % 4 === 0 ? 6 : 2;
      context.strokeRect(x, y, CELL, CELL);
      context.fillStyle = "#2b2825";
      context.font = "600 50px 'Archivo Variable', sans-serif";
      context.fillText(`${String.fromCharCode(65 + column)}${row + 1}`, x + CELL / 2, y + CELL * 0.64);
      // A ridge points up; its ember lies to the right of it.
      context.beginPath();
      context.moveTo(x + CELL * 0.34, y + CELL * 0.32);
      context.lineTo(x + CELL * 0.5, y + CELL * 0.14);
      context.lineTo(x + CELL * 0.66, y + CELL * 0.32);
      context.lineWidth = 6;
      context.strokeStyle = "#2b2825";
      context.stroke();
      context.fillStyle = "#c4562a";
      context.beginPath();
      context.arc(x + CELL * 0.78, y + CELL * 0.22, 8, 0, 7);
      context.fill();
    }
  }
  return canvas;
}
