export { darkOf, type EndFades, type Giving, type Passage, shareAt } from './giving.ts'
export { type DeskSource, type HeardWishes, masterRecordings, type ProjectDesk, projectDesk } from './heard.ts'
export { layerAt, placeOf, stillPlaceAt, titleAt } from './layer.ts'
export { type Material, type PlannedStretch, planFilm } from './plan.ts'
export { type PreparedRange, preparedKey, wholeFrames } from './prepared.ts'
export { type Bounds, boundsOf, type FilmRun, filmRuns } from './programme.ts'
export {
  activeCut,
  type FilmOptions,
  FilmResolver,
  type FilmStretch,
  filmOf,
  type GivingStretch,
  type LayerStretch,
  layersOf,
  type Seen,
  spanOnGrid,
  type Versions,
} from './resolver.ts'
export { FALLS_ON, type FallsOn, type Rhythm, type RhythmStretch, rhythmOf } from './rhythm.ts'
export { Pictures, type Shown } from './seen.ts'
export { movedAt, picturedAt, type Sight, type SightRange, Sights } from './sight.ts'
export { type FilmWarning, filmWarnings, SHORTEST } from './warnings.ts'
