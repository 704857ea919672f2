import '@fontsource/barlow/latin-400.css'
import '@fontsource/barlow/latin-500.css'
import '@fontsource/barlow/latin-600.css'
import '@fontsource/dm-mono/latin-400.css'
import 'ant-design-vue/dist/reset.css'
import './theme/tokens.css'
import './theme/base.css'
import './theme/plate.css'
import { createPinia } from 'pinia'
import { createApp } from 'vue'
import App from './App.vue'
import { router } from './router'

createApp(App).use(createPinia()).use(router).mount('#app')
