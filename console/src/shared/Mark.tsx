/** The mark: one unbroken contour line that climbs in steps. */
export function Mark({ size = 26 }: { size?: number }) {
  return (
    <svg width={size} height={size} viewBox="0 0 32 32" aria-hidden="true">
      <path
        d="M3 26h6.5c2 0 3-1 3-3v-1.5c0-2 1-3 3-3h2c2 0 3-1 3-3V13c0-2 1-3 3-3h.5c2 0 3-1 3-3V5"
        fill="none"
        stroke="var(--mui-palette-primary-main)"
        strokeWidth="2.8"
        strokeLinecap="round"
        strokeLinejoin="round"
      />
    </svg>
  );
}

/** Contour lines behind the sign-in page. */
export function Contours() {
  const lines = Array.from({ length: 9 }, (_, index) => index);
  return (
    <svg
      aria-hidden="true"
      preserveAspectRatio="xMidYMid slice"
      viewBox="0 0 1200 800"
      style={{ position: 'fixed', inset: 0, width: '100%', height: '100%', zIndex: 0 }}
    >
      {lines.map((index) => (
        <path
          key={index}
          d={`M-50 ${760 - index * 62} C 180 ${700 - index * 88}, 330 ${790 - index * 52}, 520 ${660 - index * 70} S 860 ${
            540 - index * 92
          }, 1260 ${600 - index * 78}`}
          fill="none"
          stroke="var(--mui-palette-contour)"
          strokeWidth="1.6"
        />
      ))}
    </svg>
  );
}
