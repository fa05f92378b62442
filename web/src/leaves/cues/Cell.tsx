import { useEffect, useState } from "react";

interface Props {
  value: string;
  label: string;
  keep: (text: string) => void;
  className?: string;
  list?: string;
  placeholder?: string;
}

/** Cell is a text that is edited where it stands: kept when it is left or Enter is pressed, put
 * back by Escape. */
export function Cell({ value, label, keep, className = "", list, placeholder }: Props) {
  const [text, setText] = useState(value);
  useEffect(() => setText(value), [value]);
  return (
    <input
      className={`field h-[22px] min-w-0 border-transparent bg-transparent px-1 hover:border-line focus:border-line focus:bg-paper ${className}`}
      aria-label={label}
      value={text}
      list={list}
      placeholder={placeholder}
      onChange={(e) => setText(e.target.value)}
      onBlur={() => {
        if (text !== value) {
          keep(text);
          setText(value); // what is kept comes back with the change
        }
      }}
      onKeyDown={(e) => {
        if (e.key === "Enter") e.currentTarget.blur();
        if (e.key === "Escape") {
          setText(value);
          e.stopPropagation();
          requestAnimationFrame(() => (e.target as HTMLElement).blur());
        }
      }}
    />
  );
}
