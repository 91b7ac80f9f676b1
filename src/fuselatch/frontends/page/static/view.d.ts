// The shapes of what the session tells and is told, for type checkers. docs/view.schema.json says what each part means.

export interface ItemData { id: string; text: string; picked: boolean }
export interface ColumnData { name: string; caption: string; kind: string }

export interface ControlData {
  name: string; caption: string; text: string; value: string | number | boolean | null; placeholder: string; help: string;
  tone: string; enabled: boolean; required: boolean; focused: boolean; selected: boolean; hovered: boolean;
  list_open: boolean; marker: string; marker_level: string; choices: ItemData[]; choices_from: number;
  choice_count: number; match_count: number; at_item: string; picked: string[]; columns: ColumnData[]; cells: string[][];
  sorted_by: string; descending: boolean; lines: string[]; can_add: boolean; can_remove: boolean; can_move: boolean;
  minimum: string; maximum: string; read_only: boolean; masked: boolean; picture: string; alt: string;
  disabled_by: string[]; id: string; kind: string; shape: string; group: string; unit: string; look: string; keys: string;
  max_length: number | null; decimals: number | null; pattern: string; other: boolean; multiple: boolean; closes: string;
  submits: boolean; hears: string[]; takes_focus: boolean; width: number;
}

export interface GroupData { id: string; name: string; caption: string; group: string; enabled: boolean }
export interface RowData { caption: string; controls: string[] }
export interface RecordData { text: string; position: number; total: number; changed: boolean; can_remove: boolean }

export interface FormData {
  id: string; name: string; title: string; covered: boolean; opener: string; modal: boolean; place: string;
  message: string; message_tone: string; default: string; changed: boolean; record: RecordData | null; hears: string[];
  tabs: boolean; groups: GroupData[]; rows: RowData[]; controls: ControlData[];
}

export interface PromptData {
  id: string; form: string; title: string; text: string; buttons: string[]; default: string; cancel: string; tone: string;
  table: string[][];
}

export interface OfferData { name: string; title: string; purpose: string; keys: string }
export interface LocaleData { language: string; direction: string; decimal_sign: string; first_weekday: number }
export interface ValueData { name: string; text: string }
export interface OutcomeData { verdict: string; values: ValueData[] }
export interface FailureData { text: string; what: string; file: string; line: number; error: string; loop: string[] }

export interface ViewData {
  version: number; serial: number; forms: FormData[]; prompt: PromptData | null; notice: string; help: string;
  failure: FailureData | null; waits_for: string[]; paused_before: string; offers: OfferData[]; locale: LocaleData;
  outcome: OutcomeData | null;
}

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
  layouts?: Record<string, StripData[]>; again?: ControlData[]; refused?: string; looks_on?: boolean; over?: boolean;
  late?: boolean;
}

/** What a message means for what is drawn. */
export interface News {
  all?: boolean; over?: boolean; late?: boolean; changed?: Set<string>; laidOut?: string[]; part?: Part;
}
