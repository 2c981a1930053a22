import '@fontsource-variable/fraunces'
import '@fontsource-variable/instrument-sans'
import '@fontsource-variable/jetbrains-mono'
import './ui/base.css'
import { notifyManager } from '@tanstack/react-query'
import { createRoot } from 'react-dom/client'
import { Application } from './app.tsx'

// What is changed is drawn before the next key comes: a second press acts on what the first one made.
notifyManager.setScheduler(queueMicrotask)

const root = document.getElementById('root')
if (root) createRoot(root).render(<Application />)
