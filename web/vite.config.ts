import vue from '@vitejs/plugin-vue'
import vuetify from 'vite-plugin-vuetify'
import { defineConfig } from 'vitest/config'

/** The icon set brings what no component used here shows: players, keys of a keyboard, ratings. */
const UNSHOWN =
  /^\s*(play|pause|fullscreen\w*|volume\w*|ctrl|command|shift|alt|enter|arrow\w*|backspace|space|rating\w*|color|eyeDropper): 'svg:[^']*',?$/gm
const leanIcons = {
  name: 'lean-icons',
  transform: (code: string, id: string) =>
    id.includes('vuetify/lib/iconsets/mdi-svg') ? code.replace(UNSHOWN, '') : undefined,
}

export default defineConfig({
  base: '/static/',
  plugins: [vue(), vuetify({ autoImport: true }), leanIcons],
  build: {
    rolldownOptions: {
      output: {
        codeSplitting: {
          groups: [
            { name: 'charts', test: /node_modules\/(echarts|zrender)/ },
            // Vuetify is not here: its parts go with the screens that use them.
            { name: 'vue', test: /node_modules\/(vue|@vue|vue-router|@tanstack|openapi-fetch|@vueuse)\// },
          ],
        },
      },
    },
  },
  test: { environment: 'jsdom', server: { deps: { inline: ['vuetify'] } } },
})
