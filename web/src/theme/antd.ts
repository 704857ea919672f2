import { theme } from 'ant-design-vue'

/** Our paper, ink and yellow in the terms of the component library. */
export function antdTheme(isDark: boolean) {
  return {
    algorithm: isDark ? theme.darkAlgorithm : theme.defaultAlgorithm,
    token: {
      colorPrimary: isDark ? '#f2c12e' : '#8a6a00',
      colorInfo: '#2c6c86',
      colorError: isDark ? '#e58a6c' : '#b0472b',
      colorSuccess: isDark ? '#9bbd80' : '#55743f',
      colorText: isDark ? '#ece6d8' : '#23262b',
      colorTextPlaceholder: isDark ? '#a8a99f' : '#6a7178',
      colorBgBase: isDark ? '#1b1d20' : '#faf7ef',
      colorBgContainer: isDark ? '#282b30' : '#fffefa',
      colorBorder: isDark ? '#5c574a' : '#b9b09a',
      colorLink: isDark ? '#7fbdd6' : '#2c6c86',
      colorLinkHover: isDark ? '#a9d6e8' : '#1d4d61',
      borderRadius: 4,
      controlHeight: 28,
      controlHeightSM: 24,
      padding: 12,
      paddingLG: 18,
      fontFamily: "'Barlow', sans-serif",
      fontFamilyCode: "'DM Mono', monospace",
      fontSize: 14,
      motionDurationMid: '0.1s',
      motionDurationSlow: '0.1s',
    },
  }
}
