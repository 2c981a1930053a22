import '@fontsource-variable/fraunces'
import '@fontsource-variable/instrument-sans'
import '@fontsource-variable/jetbrains-mono'
import './ui/base.css'
import { createRoot } from 'react-dom/client'
import { Application } from './app.tsx'

const root = document.getElementById('root')
if (root) createRoot(root).render(<Application />)
