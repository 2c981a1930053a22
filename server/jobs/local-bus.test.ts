import { busContract } from '../ports/bus.contract.ts'
import { LocalBus } from './local-bus.ts'

busContract('the bus within a process', () => new LocalBus())
