/** The thread going through its eye. */
export function Mark() {
  return (
    <svg viewBox="0 0 32 24" className="h-6 w-7" role="img" aria-label="Wet Thread">
      <path d="M3 18c4 3 6-2 9-6s5 6 8 1 3-6 6-7" fill="none" stroke="var(--madder)" strokeWidth="2.4" strokeLinecap="round" />
      <path d="M20 10l7-6" stroke="var(--ink)" strokeWidth="2" strokeLinecap="round" />
    </svg>
  );
}
