// What the session tells a page and is told, for type checkers. The view itself is in view.d.ts.

import type { ControlData, FormData, ItemData, ViewData } from "./view";

/** A row of a form, from top to bottom. */
export interface StripData { caption: string; depth: number; controls: string[]; heading: boolean; line: string; page: string }

/** What the user did. */
export interface Gesture {
  verb: string; control?: string; form?: string; text?: string; item?: string; key?: string; repeat?: boolean;
  ctrl?: boolean; alt?: boolean; shift?: boolean;
}

export interface ControlChange { whole?: ControlData; fields?: Partial<ControlData> }
export interface FormChange {
  whole?: FormData; fields?: Partial<FormData>; order?: string[]; controls?: Record<string, ControlChange>;
}

/** A part of a list that was asked for. */
export interface Part { list: string; start: number; items: ItemData[]; cells?: string[][] }

/** A message of the session. */
export interface Told extends Partial<Part> {
  number?: number; view?: Partial<ViewData>; forms?: Record<string, FormChange>; order?: string[];
  layouts?: Record<string, StripData[]>; again?: ControlData[]; refused?: string; stale?: boolean; looks_on?: boolean; over?: boolean;
  late?: boolean; failed?: string; beat?: boolean;
}

/** A text that the session could not take: "" if it is masked. */
export interface Lost { control: string; caption: string; text: string }

/** What a message means for what is drawn. */
export interface News {
  all?: boolean; over?: boolean; late?: boolean; failed?: string; changed?: Set<string>; laidOut?: string[]; part?: Part;
  lost?: Lost[]; taken?: string[]; acted?: boolean;
}
