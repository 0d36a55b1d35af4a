/** The look: an upland map. Paper and ink by day, slate by night; one lichen green; amber to look here; brick for loss. */
import '@fontsource-variable/inter';
import '@fontsource-variable/jetbrains-mono';
import { createTheme } from '@mui/material/styles';

export const MONO = '"JetBrains Mono Variable", monospace';

declare module '@mui/material/styles' {
  interface Palette {
    hairline: string;
    contour: string;
    neutral: string;
  }
  interface PaletteOptions {
    hairline?: string;
    contour?: string;
    neutral?: string;
  }
}

/** Who asks for no movement (WCAG 2.2, 2.3.3) gets none. */
const still = window.matchMedia('(prefers-reduced-motion: reduce)').matches;
const NONE = {
  enteringScreen: 0,
  leavingScreen: 0,
  shortest: 0,
  shorter: 0,
  short: 0,
  standard: 0,
  complex: 0,
};
const STILL = still && {
  '*, *::before, *::after': {
    animationDuration: '0.01ms !important',
    animationIterationCount: '1 !important',
    transitionDuration: '0.01ms !important',
  },
};

export const theme = createTheme({
  cssVariables: { colorSchemeSelector: 'data-theme' },
  colorSchemes: {
    light: {
      palette: {
        background: { default: '#faf8f2', paper: '#fffdf8' },
        text: { primary: '#22302a', secondary: '#56635b' },
        primary: { main: '#2f6b45', contrastText: '#ffffff' },
        warning: { main: '#935c06' },
        error: { main: '#a33a26' },
        success: { main: '#2f6b45' },
        info: { main: '#4a667f' },
        divider: '#ddd8ca',
        hairline: '#e4dfd2',
        contour: '#e3e6d8',
        neutral: '#6f8aa3',
      },
    },
    dark: {
      palette: {
        background: { default: '#171d1f', paper: '#1d2426' },
        text: { primary: '#e6e8e1', secondary: '#a5b0aa' },
        primary: { main: '#86c397', dark: '#74b586', contrastText: '#10201a' },
        warning: { main: '#e2ab52' },
        error: { main: '#ef9a85' },
        success: { main: '#86c397' },
        info: { main: '#9db7cf' },
        divider: '#343e40',
        hairline: '#2c3638',
        contour: '#253032',
        neutral: '#8ba3b8',
      },
    },
  },
  shape: { borderRadius: 4 },
  typography: {
    fontFamily: '"Inter Variable", sans-serif',
    fontSize: 13,
    h1: { fontSize: '1.45rem', fontWeight: 620, letterSpacing: '-0.012em', lineHeight: 1.3 },
    h2: { fontSize: '1rem', fontWeight: 620, lineHeight: 1.4 },
    h3: { fontSize: '0.86rem', fontWeight: 620 },
    button: { textTransform: 'none', fontWeight: 560 },
    body1: { fontSize: '0.9rem' },
    body2: { fontSize: '0.84rem' },
  },
  ...(still ? { transitions: { duration: NONE } } : {}),
  components: {
    ...(still ? { MuiPopover: { defaultProps: { transitionDuration: 0 } } } : {}),
    MuiCssBaseline: {
      styleOverrides: {
        body: { fontFeatureSettings: '"cv05"', WebkitFontSmoothing: 'antialiased' },
        a: { color: 'inherit' },
        ...STILL,
        ':focus-visible': { outline: '2px solid var(--mui-palette-primary-main)', outlineOffset: 2 },
      },
    },
    // What can be pressed takes its outline off by itself; whoever goes by keyboard needs it.
    MuiButtonBase: {
      defaultProps: { disableRipple: true },
      styleOverrides: {
        root: {
          '&:focus-visible': { outline: '2px solid var(--mui-palette-primary-main)', outlineOffset: -2 },
        },
      },
    },
    // A list to choose from stands outside the page's regions, so it is one of its own.
    MuiMenu: {
      defaultProps: { slotProps: { paper: { role: 'region', 'aria-label': 'Choices' } } },
    },
    MuiIconButton: { defaultProps: { disableRipple: true } },
    MuiCheckbox: { defaultProps: { disableRipple: true } },
    MuiButton: { defaultProps: { disableElevation: true, size: 'small' } },
    MuiPaper: { defaultProps: { elevation: 0 } },
    MuiTextField: { defaultProps: { size: 'small' } },
    MuiSelect: { defaultProps: { size: 'small' } },
    MuiDialog: {
      defaultProps: { fullWidth: true, maxWidth: 'sm' },
      styleOverrides: {
        paper: { backgroundImage: 'none', border: '1px solid var(--mui-palette-divider)', boxShadow: 'none' },
      },
    },
    MuiTooltip: { defaultProps: { arrow: true, enterDelay: 250 } },
  },
});
