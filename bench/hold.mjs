import { monitorEventLoopDelay } from 'node:perf_hooks'

// Loaded into the server that is measured, before it: tells whoever started it for how long at most its event loop was held since it was last asked.
const delay = monitorEventLoopDelay({ resolution: 1 })
delay.enable()
process.on('message', () => {
  process.send({ held: delay.max / 1e6 })
  delay.reset()
})
process.channel.unref()
