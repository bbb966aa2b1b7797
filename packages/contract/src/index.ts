export { EntityId, RecordId, TimeText } from "./common.js";
export { API_ERROR_STATUS, ApiError, type ApiErrorCode } from "./errors.js";
export { SavedFilterBody, SavedFilterJson, SavedFilterList } from "./filters.js";
export {
  Acknowledge,
  AssignIncident,
  BulkAct,
  BulkAnswer,
  CloseIncident,
  IncidentDetail,
  IncidentJson,
  IncidentList,
  IncidentQuery,
  LinkIncident,
  MergeIncident,
  NewTask,
  Note,
  ShelveIncident,
  SplitIncident,
  TaskChange,
} from "./incidents.js";
export {
  ApplicationJson,
  ApplicationList,
  EndpointChange,
  EndpointJson,
  EndpointKind,
  EndpointList,
  EndpointSettings,
  ImportList,
  MeaningJson,
  MeaningList,
  MibList,
  NewEndpoint,
  NewMib,
  NewSnmpUser,
  SeverityChange,
  SnmpUserList,
} from "./kinds.js";
export { Deliveries, Notices, NoticesRead, NotifyRouteJson, NotifyRoutes, SinkMail } from "./notify.js";
export {
  Coverage,
  CoverageQuery,
  ExportQuery,
  HistogramAnswer,
  HistogramQuery,
  MatrixAnswer,
  MatrixQuery,
  RecordDetail,
  RecordJson,
  RecordPage,
  RecordQuery,
  Searched,
  ValuesAnswer,
  ValuesQuery,
  WhyNothing,
} from "./records.js";
export {
  RehearsalStep,
  RehearsedFinding,
  RehearseQuery,
  RuleCheck,
  RuleDetail,
  RuleList,
  RuleSwitch,
  RuleText,
} from "./rules.js";
export { AdmitNetwork, RefuseNetwork, SenderChange, SenderFacts, SenderJson, SenderList } from "./senders.js";
export {
  Health,
  HealthDetails,
  Intake,
  Job,
  NewPassword,
  QuarantineList,
  Session,
  SignIn,
  Summary,
} from "./status.js";
