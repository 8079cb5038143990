// Starts the application.
import '@fontsource/atkinson-hyperlegible-next/latin-400.css'
import '@fontsource/atkinson-hyperlegible-next/latin-600.css'
import '@fontsource/atkinson-hyperlegible-mono/latin-400.css'
import 'element-plus/theme-chalk/base.css'
import 'element-plus/theme-chalk/dark/css-vars.css'
import './theme.css'
import { createPinia } from 'pinia'
import { createApp } from 'vue'
import VueKonva from 'vue-konva'
import App from './App.vue'
import { fetchFirstDesk, router } from './router'

createApp(App).use(createPinia()).use(router).use(VueKonva).mount('#app')
// Should it fail, whoever needs it asks again and hears of it.
void router.isReady().then(() => fetchFirstDesk().catch(() => undefined))
