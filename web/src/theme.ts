import { createVuetify } from 'vuetify'
import { aliases, mdi } from 'vuetify/iconsets/mdi-svg'

const DAYLIGHT = {
  background: '#FAF8F3',
  surface: '#FFFFFF',
  'on-background': '#17212B',
  'on-surface': '#17212B',
  primary: '#17212B',
  secondary: '#5B6670',
  error: '#C62828',
}
const STAND = {
  background: '#0F151A',
  surface: '#161D23',
  'on-background': '#E6EBEE',
  'on-surface': '#E6EBEE',
  primary: '#E6EBEE',
  secondary: '#8D9AA3',
  error: '#FF5A4D',
}
const FLAT = { flat: true, rounded: 0 }

/** Square corners, hairlines, no shadows: the components bring behaviour, the look is ours (styles.css). */
export const vuetify = createVuetify({
  icons: { defaultSet: 'mdi', aliases, sets: { mdi } },
  theme: {
    defaultTheme: 'daylight',
    themes: {
      daylight: { dark: false, colors: DAYLIGHT },
      stand: { dark: true, colors: STAND },
    },
  },
  defaults: {
    VBtn: { ...FLAT, variant: 'outlined', ripple: false },
    VTextField: { variant: 'outlined', density: 'compact', rounded: 0, hideDetails: 'auto' },
    VSelect: { variant: 'outlined', density: 'compact', rounded: 0, hideDetails: 'auto' },
    VAutocomplete: { variant: 'outlined', density: 'compact', rounded: 0, hideDetails: 'auto' },
    VTextarea: { variant: 'outlined', density: 'compact', rounded: 0, hideDetails: 'auto' },
    VCard: FLAT,
    VMenu: { transition: false },
    VDialog: { transition: false },
  },
})
