import {
  type PointerEvent,
  type RefObject,
  useCallback,
  useEffect,
  useLayoutEffect,
  useRef,
  useState,
  useSyncExternalStore,
} from "react";

/** The width of an element in pixels, followed as it changes. */
export function useWidth<T extends HTMLElement>(least = 280): [RefObject<T | null>, number] {
  const ref = useRef<T>(null);
  const [width, setWidth] = useState(least);
  useLayoutEffect(() => {
    const element = ref.current;
    if (!element) return;
    const take = () => setWidth(Math.max(least, Math.floor(element.clientWidth)));
    take();
    const observer = new ResizeObserver(take);
    observer.observe(element);
    return () => observer.disconnect();
  }, [least]);
  return [ref, width];
}

const NARROW = "(max-width: 639px)";
const followNarrow = (changed: () => void) => {
  const query = window.matchMedia(NARROW);
  query.addEventListener("change", changed);
  return () => query.removeEventListener("change", changed);
};

/** Whether the window is as narrow as a phone. */
export const useNarrow = () =>
  useSyncExternalStore(followNarrow, () => window.matchMedia(NARROW).matches);

/** Call `act` at most once per `wait` ms, with the newest argument last. */
export function useLater<A>(act: (argument: A) => void, wait: number): (argument: A) => void {
  const held = useRef<{ timer?: ReturnType<typeof setTimeout> }>({});
  return (argument) => {
    clearTimeout(held.current.timer);
    held.current.timer = setTimeout(() => act(argument), wait);
  };
}

/** The newest value once it has not changed for `wait` ms. Compared by content. */
export function useStill<T>(value: T, wait: number): T {
  const [still, setStill] = useState(value);
  const text = JSON.stringify(value);
  useEffect(() => {
    const timer = setTimeout(() => setStill(JSON.parse(text) as T), wait);
    return () => clearTimeout(timer);
  }, [text, wait]);
  return still;
}

/** A callback that stays the same one while what it does changes. */
export function useSteady<A extends unknown[], R>(act: (...args: A) => R): (...args: A) => R {
  const latest = useRef(act);
  useLayoutEffect(() => {
    latest.current = act;
  });
  return useCallback((...args: A) => latest.current(...args), []);
}

interface Drag<E extends Element> {
  /** What is taken hold of; `false` where there is nothing to take hold of. */
  begin?: (event: PointerEvent<E>) => boolean;
  /** With each place that is pointed at. */
  take: (event: PointerEvent<E>) => void;
  /** Let go of: `null` where the browser took the pointer away, and nothing is meant. */
  drop?: (event: PointerEvent<E> | null) => void;
}

/** A finger has to go so far along before it drags: until then it may be scrolling the page. */
const SLOP = 6;

/**
 * Pointing at a drawing and dragging along it, from left to right. A finger that scrolls the page over it
 * moves nothing, and what is cut short is let go of.
 */
export function useDrag<E extends Element>({ begin, take, drop }: Drag<E>) {
  const held = useRef<{ finger: boolean; x: number; y: number } | null>(null);
  return {
    onPointerDown: (event: PointerEvent<E>) => {
      if (event.button > 0 || begin?.(event) === false) return;
      const finger = event.pointerType === "touch";
      held.current = { finger, x: event.clientX, y: event.clientY };
      event.currentTarget.setPointerCapture(event.pointerId);
      if (!finger) take(event);
    },
    onPointerMove: (event: PointerEvent<E>) => {
      const from = held.current;
      if (!from) return;
      const along = Math.abs(event.clientX - from.x);
      if (from.finger && (along < SLOP || along < Math.abs(event.clientY - from.y))) return;
      from.finger = false;
      take(event);
    },
    onPointerUp: (event: PointerEvent<E>) => {
      const from = held.current;
      held.current = null;
      if (!from) return;
      if (from.finger) take(event);
      drop?.(event);
    },
    onPointerCancel: () => {
      if (held.current) drop?.(null);
      held.current = null;
    },
  };
}
