/** Pointer and wheel on the map, and how large it is. */
import { useEffect, useRef, useState } from "react";

export function useSize(
  frame: React.RefObject<HTMLDivElement | null>,
): { width: number; height: number } | null {
  const [size, setSize] = useState<{ width: number; height: number } | null>(null);
  useEffect(() => {
    const observer = new ResizeObserver(([entry]) => {
      const { width, height } = entry.contentRect;
      if (width > 0 && height > 0) setSize({ width, height });
    });
    observer.observe(frame.current!);
    return () => observer.disconnect();
  }, [frame]);
  return size;
}

export interface Gestures {
  pan: (dx: number, dy: number) => void;
  zoom: (factor: number, x: number, y: number) => void;
  point: (x: number, y: number) => void;
  leave: () => void;
  click: (x: number, y: number) => void;
}

export function useGestures(frame: React.RefObject<HTMLDivElement | null>, gestures: Gestures): void {
  const now = useRef(gestures);
  now.current = gestures;
  useEffect(() => {
    const element = frame.current!;
    let last: { x: number; y: number; moved: number } | null = null;
    const at = (event: MouseEvent) => {
      const box = element.getBoundingClientRect();
      return { x: event.clientX - box.left, y: event.clientY - box.top };
    };
    const down = (event: PointerEvent) => {
      last = { x: event.clientX, y: event.clientY, moved: 0 };
      element.setPointerCapture(event.pointerId);
    };
    const moveTo = (event: PointerEvent) => {
      if (!last) {
        const { x, y } = at(event);
        now.current.point(x, y);
        return;
      }
      const [dx, dy] = [event.clientX - last.x, event.clientY - last.y];
      last = { x: event.clientX, y: event.clientY, moved: last.moved + Math.abs(dx) + Math.abs(dy) };
      if (last.moved > 3) now.current.pan(dx, dy);
    };
    const up = (event: PointerEvent) => {
      const { x, y } = at(event);
      if (last && last.moved <= 3) now.current.click(x, y);
      last = null;
    };
    const wheel = (event: WheelEvent) => {
      event.preventDefault();
      const { x, y } = at(event);
      now.current.zoom(2 ** (-event.deltaY / 300), x, y);
    };
    const leave = () => now.current.leave();
    element.addEventListener("pointerdown", down);
    element.addEventListener("pointermove", moveTo);
    element.addEventListener("pointerup", up);
    element.addEventListener("pointerleave", leave);
    element.addEventListener("wheel", wheel, { passive: false });
    return () => {
      element.removeEventListener("pointerdown", down);
      element.removeEventListener("pointermove", moveTo);
      element.removeEventListener("pointerup", up);
      element.removeEventListener("pointerleave", leave);
      element.removeEventListener("wheel", wheel);
    };
  }, [frame]);
}
