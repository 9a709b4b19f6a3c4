// Short names for the generated schemas.
import type { components } from './schema'

type Schemas = components['schemas']
export type Project = Schemas['ProjectOut']
export type Pulse = Schemas['Pulse']
export type RecipeAnswer = Schemas['RecipeOut']
export type ProjectRow = Schemas['ProjectRow']
export type Document = Schemas['Document']
export type Material = Schemas['MaterialEntry']
export type Feed = Schemas['Feed']
export type BoardMap = Schemas['BoardMap']
export type MapDetail = Schemas['MapOut']
export type Sheet = Schemas['Sheet']
export type Row = Schemas['Row']
export type StageLook = Schemas['StageOut']
export type MeshFacts = Schemas['MeshOut']
export type SlotFacts = Schemas['SlotFacts']
export type Job = Schemas['JobOut']
export type Plan = Schemas['PlanOut']
export type Package = Schemas['PackageOut']
export type Probed = Schemas['Probed']
export type Suggestions = Schemas['SuggestionsOut']
export type Proposals = Schemas['ProposalsOut']
export type Alike = Schemas['AlikeOut']
export type Padding = Schemas['PaddingOut']
export type MeshStep = Schemas['StepOut']['step']
export type By = NonNullable<Schemas['SplitSlot']['by']>
export type TargetSummary = Schemas['TargetSummary']
export type DraftOut = Schemas['DraftOut']
export type Conversion = Schemas['ConversionOut']
export type Texel = Schemas['Texel']
export type Finding = Schemas['Finding']
export type Profile = Schemas['Profile']
export type Edit = Schemas['Edits']['edits'][number]
export type Role = NonNullable<Schemas['BoardMap']['roles']>[string]
export type InputName = Row['input']
export type AlphaMode = StageLook['alpha_mode']
export type Verdict = 'same' | 'close' | 'differs' | 'lost' | 'unsupported'

/** A cell of a trial, as the core writes it. */
export interface Cell {
  mesh: string
  slot: string
  material: string | null
  input: string
  verdict: Verdict
  max_error: number | null
  mean_error: number | null
  unit: string | null
  cause: string | null
  message: string
  differing: number | null
}

export interface TrialResult {
  passed: boolean
  cells: Cell[]
  pictures: { material: string; input: string }[]
  renders?: {
    mesh: string
    view: string
    light: string
    flip: number
    ssim: number
    material?: string | null
  }[]
}
