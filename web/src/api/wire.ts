/** Types of what crosses the border, generated from the server's own description. */
import type { components } from './api-types.gen'

type Schemas = components['schemas']
export type PieceRow = Schemas['PieceRow']
export type NewPiece = Schemas['NewPiece']
export type Sounding = Schemas['SoundingView']
export type Click = Schemas['ClickView']
export type Programme = Schemas['ProgrammeView']
export type Take = Schemas['TakeView']
export type State = Schemas['StateOut']
export type Pen = Schemas['PenOut']
export type LinePhrase = Schemas['PhraseOut']
export type SystemRef = Schemas['SystemRef']
export type System = Schemas['SystemOut']
export type BarInfo = Schemas['BarOut']
export type ServerMessage = Schemas['WireMessages']['server']
export type ClientMessage = Schemas['WireMessages']['client']
export type Heard = Schemas['HeardIn']
