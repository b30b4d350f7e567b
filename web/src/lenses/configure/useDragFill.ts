import { type PointerEvent, useEffect, useState } from "react";

export interface CellAt {
  row: number;
  column: number;
}

interface Drag {
  from: CellAt;
  to: CellAt;
}

/** The cells between two corners, without the first: down a column, and across too where all columns are of one kind. */
export function filledBy({ from, to }: Drag, across: boolean): CellAt[] {
  const [top, bottom] = [Math.min(from.row, to.row), Math.max(from.row, to.row)];
  const [left, right] = across ? [Math.min(from.column, to.column), Math.max(from.column, to.column)] : [from.column, from.column];
  const found: CellAt[] = [];
  for (let row = top; row <= bottom; row++)
    for (let column = left; column <= right; column++) if (row !== from.row || column !== from.column) found.push({ row, column });
  return found;
}

/** Dragging the corner of a cell over others: they get its value when it is let go; Escape leaves all as it was. */
export function useDragFill(across: boolean, fill: (from: CellAt, cells: CellAt[]) => void) {
  const [drag, setDrag] = useState<Drag>();
  useEffect(() => {
    if (!drag) return;
    const cancel = (event: KeyboardEvent) => {
      if (event.key !== "Escape") return;
      event.stopPropagation();
      setDrag(undefined);
    };
    window.addEventListener("keydown", cancel, true);
    return () => window.removeEventListener("keydown", cancel, true);
  }, [drag]);
  const cells = drag ? filledBy(drag, across) : [];
  return {
    covers: (row: number, column: number) => cells.some((one) => one.row === row && one.column === column),
    handle: (from: CellAt) => ({
      onPointerDown: (event: PointerEvent<HTMLElement>) => {
        event.preventDefault();
        event.currentTarget.setPointerCapture(event.pointerId);
        setDrag({ from, to: from });
      },
      onPointerMove: (event: PointerEvent<HTMLElement>) => {
        if (!drag) return;
        const over = document.elementFromPoint(event.clientX, event.clientY)?.closest<HTMLElement>("td[data-row]");
        const sheet = event.currentTarget.closest("table");
        if (over && over.closest("table") === sheet) setDrag({ from: drag.from, to: { row: Number(over.dataset.row), column: Number(over.dataset.column) } });
      },
      onPointerUp: () => {
        if (drag && cells.length) fill(drag.from, cells);
        setDrag(undefined);
      },
      onPointerCancel: () => setDrag(undefined),
    }),
  };
}
