import { type RefObject, useEffect, useState } from "react";

/** useSize follows the size of an element, in whole pixels. */
export function useSize(ref: RefObject<HTMLElement | null>) {
  const [size, setSize] = useState<{ width: number; height: number } | null>(null);
  useEffect(() => {
    if (!ref.current) return;
    const watch = new ResizeObserver(
      ([e]) => e && setSize({ width: Math.round(e.contentRect.width), height: Math.round(e.contentRect.height) }),
    );
    watch.observe(ref.current);
    return () => watch.disconnect();
  }, [ref]);
  return size;
}
