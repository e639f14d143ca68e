import { type RefObject, useLayoutEffect, useRef, useState } from "react";

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

/** Call `act` at most once per `wait` ms, with the newest argument last. */
export function useLater<A>(act: (argument: A) => void, wait: number): (argument: A) => void {
  const held = useRef<{ timer?: ReturnType<typeof setTimeout> }>({});
  return (argument) => {
    clearTimeout(held.current.timer);
    held.current.timer = setTimeout(() => act(argument), wait);
  };
}
