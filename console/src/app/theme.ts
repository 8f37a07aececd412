import { type CSSVariablesResolver, createTheme, type MantineColorsTuple } from "@mantine/core";

const pine: MantineColorsTuple = ["#e8f3f0", "#cfe5e0", "#a3cdc4", "#74b3a7", "#4a9a8b", "#2a8576", "#14776a", "#0f6257", "#0d5048", "#123f3a"];
const clay: MantineColorsTuple = ["#fceae6", "#f6cfc7", "#eaa395", "#df7862", "#d3573d", "#c43f26", "#b03018", "#952812", "#7a200e", "#5c180a"];

/** The kit's parts in our measures: small type, tight rows, square-ish corners. */
export const theme = createTheme({
  fontFamily: '"Source Sans 3 Variable", system-ui, sans-serif',
  fontFamilyMonospace: '"Source Code Pro Variable", ui-monospace, monospace',
  primaryColor: "pine",
  primaryShade: 6,
  colors: { pine, clay },
  defaultRadius: 5,
  fontSizes: { xs: "12.5px", sm: "14px", md: "15px", lg: "17px", xl: "20px" },
  cursorType: "pointer",
  respectReducedMotion: true,
  components: {
    Button: { defaultProps: { size: "compact-md", variant: "default" } },
    Tooltip: { defaultProps: { multiline: true, maw: 340, withArrow: true, openDelay: 250, events: { hover: true, focus: true, touch: true } } },
    Modal: { defaultProps: { centered: true, overlayProps: { backgroundOpacity: 0.45 }, transitionProps: { duration: 90 } } },
    TextInput: { defaultProps: { size: "sm" } },
    Select: { defaultProps: { size: "sm", allowDeselect: false } },
    MultiSelect: { defaultProps: { size: "sm" } },
    Textarea: { defaultProps: { size: "sm" } },
  },
});

/** The kit's surfaces take our papers and inks; see theme.css. */
export const papers: CSSVariablesResolver = () => {
  const ours = {
    "--mantine-color-body": "var(--sheet)",
    "--mantine-color-text": "var(--ink)",
    "--mantine-color-dimmed": "var(--quiet)",
    "--mantine-color-placeholder": "var(--quiet)",
    "--mantine-color-default": "var(--sheet)",
    "--mantine-color-default-hover": "var(--hover)",
    "--mantine-color-default-color": "var(--ink)",
    "--mantine-color-default-border": "var(--line-strong)",
    "--mantine-color-error": "var(--failed-ink)",
    "--mantine-color-anchor": "var(--action)",
  };
  return { variables: {}, light: ours, dark: ours };
};
