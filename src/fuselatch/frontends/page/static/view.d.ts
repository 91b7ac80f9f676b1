// The view, for type checkers, written by `make view`. docs/view.schema.json says what each part means.

export interface ViewData {
  version: number;
  serial: number;
  forms: FormData[];
  prompt: PromptData | null;
  notice: string;
  help: string;
  failure: FailureData | null;
  waits_for: string[];
  paused_before: string;
  offers: OfferData[];
  locale: LocaleData;
  outcome: OutcomeData | null;
  takes_back: boolean;
  slow_calls: SlowCallData[];
}

export interface FormData {
  id: string;
  name: string;
  title: string;
  covered: boolean;
  opener: string;
  modal: boolean;
  place: string;
  message: string;
  message_tone: string;
  default: string;
  changed: boolean;
  record: RecordData | null;
  hears: string[];
  tabs: boolean;
  groups: GroupData[];
  rows: RowData[];
  controls: ControlData[];
}

export interface RecordData {
  text: string;
  position: number;
  total: number;
  changed: boolean;
  can_remove: boolean;
}

export interface GroupData {
  id: string;
  name: string;
  caption: string;
  group: string;
  enabled: boolean;
}

export interface RowData {
  caption: string;
  controls: string[];
}

export interface CommonData {
  id: string;
  name: string;
  kind: string;
  shape: string;
  group: string;
  caption: string;
  text: string;
  unit: string;
  value: string | number | boolean | null;
  help: string;
  tone: string;
  enabled: boolean;
  disabled_by: string[];
  required: boolean;
  read_only: boolean;
  masked: boolean;
  focused: boolean;
  selected: boolean;
  hovered: boolean;
  marker: string;
  marker_level: string;
  hears: string[];
  keys: string;
  takes: string[];
  takes_focus: boolean;
  width: number;
}

export interface FieldData extends CommonData {
  shape: "field";
  holds: string;
  placeholder: string;
  minimum: string;
  maximum: string;
  multi_line: boolean;
  secret: boolean;
  max_length: number | null;
  longest: number;
  decimals: number | null;
  pattern: string;
  autocomplete: string;
  inputmode: string;
  spellcheck: boolean;
  earliest: string;
  latest: string;
}

export interface ItemData {
  id: string;
  text: string;
  picked: boolean;
}

export interface ChoiceData extends CommonData {
  shape: "choice";
  look: string;
  placeholder: string;
  always_open: boolean;
  list_open: boolean;
  choices: ItemData[];
  choices_from: number;
  choice_count: number;
  match_count: number;
  at_item: string;
  picked: string[];
  other: boolean;
  multiple: boolean;
  longest: number;
  takes_open: string[];
}

export interface ColumnData {
  name: string;
  caption: string;
  kind: string;
  holds: string;
}

export interface TableData extends CommonData {
  shape: "table";
  choices: ItemData[];
  choices_from: number;
  choice_count: number;
  picked: string[];
  columns: ColumnData[];
  cells: string[][];
  sorted_by: string;
  descending: boolean;
}

export interface TickData extends CommonData {
  shape: "tick";
  ticked: boolean;
}

export interface ButtonData extends CommonData {
  shape: "button";
  closes: string;
  submits: boolean;
}

export interface LabelData extends CommonData {
  shape: "label";
  picture: string;
  alt: string;
}

export interface LinesData extends CommonData {
  shape: "lines";
  columns: ColumnData[];
  lines: string[];
  can_add: boolean;
  can_remove: boolean;
  can_move: boolean;
  longest: number;
}

export type ControlData = FieldData | ChoiceData | TableData | TickData | ButtonData | LabelData | LinesData;

export interface PromptData {
  id: string;
  form: string;
  title: string;
  text: string;
  buttons: string[];
  default: string;
  cancel: string;
  tone: string;
  table: string[][];
}

export interface FailureData {
  text: string;
  what: string;
  file: string;
  line: number;
  error: string;
  loop: string[];
}

export interface OfferData {
  name: string;
  title: string;
  purpose: string;
  keys: string;
}

export interface LocaleData {
  language: string;
  direction: string;
  decimal_sign: string;
  first_weekday: number;
}

export interface OutcomeData {
  verdict: string;
  text: string;
  values: ValueData[];
}

export interface ValueData {
  name: string;
  text: string;
}

export interface SlowCallData {
  id: string;
  form: string;
  text: string;
  can_cancel: boolean;
  locks_form: boolean;
  locks: string[];
  done: number;
  of: number;
  reported: string;
}
