import vue from '@vitejs/plugin-vue'
import vuetify from 'vite-plugin-vuetify'
import { defineConfig } from 'vitest/config'

export default defineConfig({
  base: '/static/',
  plugins: [vue(), vuetify({ autoImport: true })],
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
