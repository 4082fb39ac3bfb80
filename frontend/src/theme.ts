/** Ant Design Vue in our colours. The same values stand in styles.css as custom properties. */
import { theme as antd } from "ant-design-vue";
import { usePreferredDark } from "@vueuse/core";
import { computed } from "vue";

const dark = usePreferredDark();
const card = computed(() => (dark.value ? "#211F1B" : "#FFFDF9"));
const line = computed(() => (dark.value ? "#3D3933" : "#DDD6C8"));

export const theme = computed(() => ({
  algorithm: dark.value ? antd.darkAlgorithm : antd.defaultAlgorithm,
  token: {
    colorPrimary: dark.value ? "#D2643E" : "#C14A22",
    // Darker under the pointer and pressed: white stays readable on it.
    colorPrimaryHover: dark.value ? "#B9532F" : "#A83D1A",
    colorPrimaryActive: dark.value ? "#A24624" : "#923313",
    colorLink: dark.value ? "#F0906B" : "#A83D1A",
    colorInfo: "#59616E",
    colorError: dark.value ? "#F0906B" : "#A83D1A",
    colorBgBase: dark.value ? "#1F1D1A" : "#FFFDF9",
    colorBgElevated: dark.value ? "#2B2823" : "#FFFDF9",
    colorTextBase: dark.value ? "#EDE8DE" : "#23262D",
    colorBorder: dark.value ? "#5A554C" : "#C9C0AE",
    colorBorderSecondary: dark.value ? "#45413A" : "#DDD6C8",
    colorTextPlaceholder: dark.value ? "#A49D90" : "#6C6A64",
    colorTextDisabled: dark.value ? "#A49D90" : "#6C6A64",
    fontFamily: '"IBM Plex Sans", sans-serif',
    fontSize: 13,
    borderRadius: 6,
    motion: false,
  },
  components: {
    // What was refused is said in words, by the mark beside them; the ground stays calm.
    Alert: {
      colorErrorBg: card.value,
      colorErrorBorder: line.value,
      colorWarningBg: card.value,
      colorWarningBorder: line.value,
    },
    Form: { marginLG: 0 }, // the forms' own grids keep their distances
    Table: {
      colorBgContainer: card.value,
      colorFillAlter: card.value,
      colorTextHeading: dark.value ? "#AAA396" : "#6C6A64",
    },
  },
}));
