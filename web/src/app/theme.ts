import { createVuetify } from 'vuetify'
import { VBtn } from 'vuetify/components/VBtn'
import { aliases, mdi } from 'vuetify/iconsets/mdi-svg'

const FONTS = { 'font-body': "'B612', sans-serif", 'font-heading': "'B612', sans-serif" }
/** Emphasis is colour, not haze: full ink, or the ink that reads as the quiet ink on the panel. */
const EMPHASIS = {
  ...FONTS,
  'high-emphasis-opacity': 1,
  'border-opacity': 1,
  'hover-opacity': 0.05,
  'focus-opacity': 0,
  'selected-opacity': 0.06,
  'activated-opacity': 0,
  'pressed-opacity': 0.1,
  'disabled-opacity': 0.5,
  // every elevation is drawn from these two: no shadow anywhere
  'shadow-key-opacity': 0,
  'shadow-ambient-opacity': 0,
  'elevation-overlay-opacity-step': '0%',
}
/** The theme carries the density too: look.css hangs every height on these. */
const DESK = { target: '30px', row: '34px' }
const GLOVES = { target: '48px', row: '48px' }

const DAYLIGHT = {
  background: '#FAF8F3',
  surface: '#FFFFFF',
  'surface-light': '#F3EFE4',
  'surface-variant': '#17212B',
  'on-surface-variant': '#FAF8F3',
  'on-background': '#17212B',
  'on-surface': '#17212B',
  primary: '#17212B',
  secondary: '#5B6670',
  error: '#C62828',
  // Torvix's own names become theme colours, so color="hand" works on any component.
  rail: '#F3EFE4',
  'on-rail': '#17212B',
  line: '#DCD6C8',
  quiet: '#5B6670',
  hand: '#E4EE3A',
  'on-hand': '#17212B',
  window: '#B9D8C4',
  hatch: '#A79F8C',
}
const STAND = {
  background: '#0F151A',
  surface: '#161D23',
  'surface-light': '#0A0F13',
  'surface-variant': '#E6EBEE',
  'on-surface-variant': '#0F151A',
  'on-background': '#E6EBEE',
  'on-surface': '#E6EBEE',
  primary: '#E6EBEE',
  secondary: '#8D9AA3',
  error: '#FF5A4D',
  rail: '#0A0F13',
  'on-rail': '#E6EBEE',
  line: '#27323A',
  quiet: '#8D9AA3',
  hand: '#E4EE3A',
  'on-hand': '#17212B',
  window: '#2F5F4F',
  hatch: '#5B6670',
}

const FIELD = {
  variant: 'outlined',
  density: 'compact',
  hideDetails: 'auto',
  singleLine: true, // no floating label: look.css sets the label beside or above
  centerAffix: true,
  persistentPlaceholder: true, // a unit stands behind an empty field too
} as const
const STILL = { transition: false } as const
/** Choices come as the server sends them: a value and a label. */
const PICK = {
  ...FIELD,
  menuProps: STILL,
  // A long list scrolls: it can be reached by the keyboard, too.
  listProps: { 'aria-label': 'Choices', tabindex: 0 },
  itemTitle: 'label',
  itemValue: 'value',
}
/** 4.3.0 hangs the menu's aria on the date field's div, where it is not allowed. */
const NO_ARIA = {
  'aria-expanded': undefined,
  'aria-haspopup': undefined,
  'aria-controls': undefined,
  'aria-owns': undefined,
}

export const vuetify = createVuetify({
  // A button that reads as words in a line.
  aliases: { VLink: VBtn },
  icons: {
    defaultSet: 'mdi',
    sets: { mdi },
    aliases: {
      ...aliases,
      checkboxOff: 'M4,4H20V20H4V4M5.5,5.5V18.5H18.5V5.5H5.5Z',
      checkboxOn:
        'M4,4H20V20H4V4M5.5,5.5V18.5H18.5V5.5H5.5M7.2,12.2L8.4,11L10.8,13.4L15.8,8.4L17,9.6L10.8,15.8Z',
      checkboxIndeterminate: 'M4,4H20V20H4V4M5.5,5.5V18.5H18.5V5.5H5.5M8,11H16V13H8Z',
    },
  },
  date: { locale: { en: 'en-US' } },
  display: { mobileBreakpoint: 'sm' },
  theme: {
    defaultTheme: 'daylight',
    themes: {
      daylight: {
        dark: false,
        colors: DAYLIGHT,
        variables: { ...EMPHASIS, ...DESK, 'border-color': '#DCD6C8', 'medium-emphasis-opacity': 0.7 },
      },
      stand: {
        dark: true,
        colors: STAND,
        variables: { ...EMPHASIS, ...GLOVES, 'border-color': '#27323A', 'medium-emphasis-opacity': 0.6 },
      },
    },
  },
  defaults: {
    global: { ripple: false },
    VAppBar: { height: 40, border: true, color: 'background' },
    VNavigationDrawer: { color: 'rail', railWidth: 76 },
    VBottomNavigation: { tag: 'nav', bgColor: 'rail', height: 56, border: true, grow: true },
    VBtn: { variant: 'outlined', flat: true },
    VLink: { variant: 'plain', class: 'link' },
    VBtnToggle: { variant: 'outlined', density: 'compact', divided: true, mandatory: true },
    VTextField: FIELD,
    VTextarea: FIELD,
    VNumberInput: FIELD,
    VSelect: PICK,
    VAutocomplete: { ...PICK, autoSelectFirst: true },
    VCombobox: PICK,
    VDateInput: {
      ...FIELD,
      prependIcon: '',
      appendInnerIcon: '$calendar',
      menuProps: { ...STILL, activatorProps: NO_ARIA },
    },
    VFileInput: { ...FIELD, prependIcon: '', appendInnerIcon: '$file', clearable: true },
    VFileUpload: { density: 'compact', hideDetails: 'auto' },
    VCheckbox: { density: 'compact', hideDetails: 'auto' },
    VRadioGroup: { density: 'compact', hideDetails: 'auto' },
    VSwitch: { inset: true, density: 'compact', hideDetails: 'auto', color: 'primary' },
    VTabs: { density: 'compact', sliderTransition: 'fade' },
    VTabsWindow: { transition: false, reverseTransition: false },
    VTabsWindowItem: { transition: false, reverseTransition: false },
    VTable: { density: 'compact' },
    VDataTable: { density: 'compact' },
    VDataTableVirtual: { density: 'compact', itemHeight: 34, fixedHeader: true, hover: true },
    VExpansionPanels: { variant: 'accordion', multiple: true, flat: true },
    VCard: { flat: true, border: true },
    VList: { density: 'compact' },
    VMenu: { transition: false, VList: { border: true } },
    VDialog: { transition: false, maxWidth: 460 },
    VTooltip: { transition: false, eager: false, openDelay: 300 },
    VAlert: { density: 'compact', variant: 'outlined', icon: false },
    VSnackbar: { variant: 'flat', transition: false },
    VSnackbarQueue: { variant: 'flat', timeout: 8000, location: 'bottom end', transition: false },
    VProgressLinear: { height: 4, color: 'primary', bgOpacity: 0.15 },
    VSkeletonLoader: { boilerplate: true },
    VEmptyState: { justify: 'start' },
    VStepper: { flat: true, border: true },
    VChip: { variant: 'outlined', size: 'small', label: true },
  },
})
