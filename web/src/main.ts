import '@fontsource/b612/400.css'
import '@fontsource/b612/700.css'
import '@fontsource/b612-mono/400.css'
import '@fontsource-variable/source-sans-3'
import './app/look.css'
import 'vuetify/styles'
import './app/styles.css'

import { QueryClient, VueQueryPlugin } from '@tanstack/vue-query'
import { createApp } from 'vue'

import { Problem } from './app/api/client'
import App from './app/App.vue'
import { router } from './app/router'
import { vuetify } from './app/theme'

const queries = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 5_000,
      // A refusal is an answer; only a server that cannot be reached is asked again.
      retry: (count, error) => count < 2 && !(error instanceof Problem && error.status > 0),
    },
  },
})

createApp(App).use(router).use(vuetify).use(VueQueryPlugin, { queryClient: queries }).mount('#app')
