import { type ThemeConfig, theme } from 'antd'

/** Hues of angles, told apart by colour-blind people in neighbouring pairs; always shown with the angle's number. */
export const HUES = [
  '#c2553d',
  '#3d7ea6',
  '#6a8f3a',
  '#8b5fa8',
  '#c28a1d',
  '#2f8f83',
  '#b0517a',
  '#5a6ea0',
  '#8a6d3b',
  '#3f93ad',
  '#8c8a2c',
  '#7c5c5c',
] as const

/** What they are called, in the same order. */
export const HUE_NAMES = ['brick', 'blue', 'moss', 'violet', 'amber', 'teal', 'rose', 'slate', 'umber', 'sky', 'olive', 'clay'] as const

export function hueOf(hue: number): string {
  return HUES[hue % HUES.length]
}

const FONT = "'Instrument Sans Variable', system-ui, sans-serif"
const shared = {
  fontFamily: FONT,
  fontSize: 13,
  colorPrimary: '#c9973f',
  colorInfo: '#c9973f',
  borderRadius: 6,
  motionDurationMid: '0.12s',
  motionDurationSlow: '0.16s',
  // Whoever asked their system for less movement gets none.
  motion: !window.matchMedia('(prefers-reduced-motion: reduce)').matches,
}

/** Dark rooms and pictures. */
export const stageTheme: ThemeConfig = {
  algorithm: theme.darkAlgorithm,
  token: {
    ...shared,
    colorBgBase: '#17181b',
    colorTextBase: '#d8d6d0',
    colorBorder: '#3c3f45',
    colorBgElevated: '#202226',
    colorBgContainer: '#202226',
    colorLink: '#d9ad5c',
  },
  components: { Button: { primaryColor: '#17130a', fontWeight: 500 } },
}

/** Printed paper. */
export const paperTheme: ThemeConfig = {
  algorithm: theme.defaultAlgorithm,
  token: {
    ...shared,
    colorBgBase: '#f1ebdf',
    colorTextBase: '#2a251c',
    colorBorder: '#8a8170',
    colorBgContainer: '#f1ebdf',
    colorBgElevated: '#f8f3ea',
    colorPrimary: '#8a6217',
    colorLink: '#7a5512',
    colorTextPlaceholder: '#6d6554',
  },
}

/** Paper for dark rooms. */
export const dimPaperTheme: ThemeConfig = {
  algorithm: theme.darkAlgorithm,
  token: { ...shared, colorBgBase: '#2b2822', colorTextBase: '#d9d0bd', colorBorder: '#6d6554', colorBgContainer: '#35312a', colorBgElevated: '#35312a' },
  components: { Button: { primaryColor: '#17130a' } },
}
