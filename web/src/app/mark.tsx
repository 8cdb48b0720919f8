// The mark: a ridge, a second one before it, and the ember above.
export function Mark() {
  return (
    <svg
      viewBox="0 0 26 22"
      className="h-[22px] w-[26px] fill-none stroke-ink [stroke-linejoin:round]"
      aria-hidden
    >
      <path d="M1 20 L9 8 L13 13 L17 5 L25 20" strokeWidth="1.4" />
      <path d="M5 20 L9.4 13 L13 18 L17 11 L21.5 20" strokeWidth="1" className="stroke-ink-3" />
      <circle cx="17" cy="2.6" r="2" className="fill-ember stroke-none" />
    </svg>
  );
}
