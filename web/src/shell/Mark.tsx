/** Mark is the folded sheet that stands for the program. */
export function Mark() {
  return (
    <svg
      className="shrink-0"
      width="26"
      height="20"
      viewBox="0 0 26 20"
      fill="none"
      stroke="var(--accent)"
      strokeWidth="1.6"
      strokeLinejoin="round"
      aria-hidden="true"
    >
      <path d="M1.5 4.5 9 1.5l8 3 7.5-3v14l-7.5 3-8-3-7.5 3zM9 1.5v14M17 4.5v14" />
    </svg>
  );
}
