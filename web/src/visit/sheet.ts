import { createApp } from 'vue'
import SheetView from './SheetView.vue'
import './sheet.css'

createApp(SheetView).mount('#sheet')
