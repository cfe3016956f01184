CREATE TABLE eye_checks (
  id INTEGER NOT NULL,
  seed INTEGER NOT NULL,
  begun_at DATETIME NOT NULL,
  first TEXT,
  second TEXT,
  result TEXT,
  CONSTRAINT pk_eye_checks PRIMARY KEY (id)
);
CREATE TABLE trees (
  id INTEGER NOT NULL,
  name VARCHAR(80) NOT NULL,
  species_key VARCHAR(60) NOT NULL,
  origin VARCHAR(40) NOT NULL,
  acquired_on DATE,
  stage VARCHAR(20) NOT NULL,
  strength VARCHAR(10) NOT NULL,
  age_class VARCHAR(10) NOT NULL,
  age_years INTEGER,
  height_mm DOUBLE,
  trunk_mm DOUBLE,
  container VARCHAR(40) NOT NULL,
  note VARCHAR NOT NULL,
  worth VARCHAR(20) NOT NULL,
  practice TEXT NOT NULL,
  parent_id INTEGER,
  water_dish BOOLEAN NOT NULL,
  under_glass BOOLEAN NOT NULL,
  moved_to DATE,
  buds_seen VARCHAR(20) NOT NULL,
  buds_seen_on DATE,
  foreign_soil VARCHAR(200) NOT NULL,
  version INTEGER NOT NULL,
  created_at DATETIME NOT NULL,
  updated_at DATETIME NOT NULL,
  composted_at DATETIME,
  CONSTRAINT pk_trees PRIMARY KEY (id),
  CONSTRAINT ck_trees_strength CHECK (strength IN ('strong', 'fair', 'weak')),
  CONSTRAINT ck_trees_age_class CHECK (age_class IN ('young', 'mature', 'old')),
  CONSTRAINT fk_trees_parent_id FOREIGN KEY(parent_id) REFERENCES trees (id) ON DELETE SET NULL
);
CREATE INDEX ix_trees_parent_id ON trees (parent_id);
CREATE INDEX ix_trees_species_key ON trees (species_key);
CREATE TABLE yard (
  id INTEGER NOT NULL,
  name VARCHAR(80) NOT NULL,
  place VARCHAR(80) NOT NULL,
  last_frost VARCHAR(5) NOT NULL,
  school VARCHAR(10) NOT NULL,
  click_sd_px DOUBLE NOT NULL,
  practice TEXT NOT NULL,
  trees_a_day INTEGER NOT NULL,
  bench_days INTEGER NOT NULL,
  calendar_secret VARCHAR(40) NOT NULL,
  backed_up_at DATETIME,
  own_species TEXT NOT NULL,
  CONSTRAINT pk_yard PRIMARY KEY (id),
  CONSTRAINT ck_yard_school CHECK (school IN ('gentle', 'steady', 'bold'))
);
CREATE TABLE plans (
  id INTEGER NOT NULL,
  tree_id INTEGER NOT NULL,
  made_at DATETIME NOT NULL,
  "case" TEXT,
  result TEXT,
  case_digest VARCHAR(64) NOT NULL,
  name VARCHAR(80) NOT NULL,
  CONSTRAINT pk_plans PRIMARY KEY (id),
  CONSTRAINT fk_plans_tree_id FOREIGN KEY(tree_id) REFERENCES trees (id) ON DELETE CASCADE
);
CREATE INDEX ix_plans_tree_id_made_at ON plans (tree_id, made_at);
CREATE TABLE root_sessions (
  id INTEGER NOT NULL,
  tree_id INTEGER NOT NULL,
  kind VARCHAR(20) NOT NULL,
  done_on DATE NOT NULL,
  bud_stage VARCHAR(30) NOT NULL,
  reason VARCHAR NOT NULL,
  ball_length_before DOUBLE,
  ball_width_before DOUBLE,
  ball_depth_before DOUBLE,
  ball_length_after DOUBLE,
  ball_width_after DOUBLE,
  ball_depth_after DOUBLE,
  woody_depth_mm DOUBLE,
  slice_mm DOUBLE NOT NULL,
  matted BOOLEAN NOT NULL,
  fine_roots VARCHAR(30) NOT NULL,
  share_computed DOUBLE NOT NULL,
  share_uncorrected DOUBLE,
  share_weighed DOUBLE,
  share_judged DOUBLE,
  budget DOUBLE NOT NULL,
  top_reduced DOUBLE,
  offcuts_g DOUBLE,
  ball_g DOUBLE,
  flare_height_mm DOUBLE,
  pot_before VARCHAR NOT NULL,
  pot_after VARCHAR NOT NULL,
  pot_length_mm DOUBLE,
  pot_depth_mm DOUBLE,
  container_after VARCHAR(40) NOT NULL,
  soil VARCHAR NOT NULL,
  found VARCHAR NOT NULL,
  next_time VARCHAR NOT NULL,
  exposed_minutes DOUBLE,
  practice TEXT NOT NULL,
  notes TEXT NOT NULL,
  planned TEXT,
  unfinished TEXT NOT NULL,
  created_at DATETIME NOT NULL,
  composted_at DATETIME,
  CONSTRAINT pk_root_sessions PRIMARY KEY (id),
  CONSTRAINT ck_root_sessions_share_computed CHECK (share_computed BETWEEN 0 AND 1),
  CONSTRAINT ck_root_sessions_share_judged CHECK (share_judged BETWEEN 0 AND 100),
  CONSTRAINT fk_root_sessions_tree_id FOREIGN KEY(tree_id) REFERENCES trees (id) ON DELETE CASCADE
);
CREATE INDEX ix_root_sessions_tree_id_done_on ON root_sessions (tree_id, done_on);
CREATE TABLE roots (
  id INTEGER NOT NULL,
  tree_id INTEGER NOT NULL,
  label VARCHAR(40) NOT NULL,
  first_seen_on DATE,
  gone_on DATE,
  CONSTRAINT pk_roots PRIMARY KEY (id),
  CONSTRAINT uq_roots_tree_id UNIQUE (tree_id, label),
  CONSTRAINT fk_roots_tree_id FOREIGN KEY(tree_id) REFERENCES trees (id) ON DELETE CASCADE
);
CREATE TABLE targets (
  tree_id INTEGER NOT NULL,
  spread_ratio DOUBLE NOT NULL,
  basis VARCHAR(10) NOT NULL,
  largest_gap_deg DOUBLE NOT NULL,
  pot_depth_mm DOUBLE NOT NULL,
  year INTEGER,
  containers TEXT NOT NULL,
  updated_at DATETIME NOT NULL,
  CONSTRAINT pk_targets PRIMARY KEY (tree_id),
  CONSTRAINT ck_targets_basis CHECK (basis IN ('flare', 'roots')),
  CONSTRAINT fk_targets_tree_id FOREIGN KEY(tree_id) REFERENCES trees (id) ON DELETE CASCADE
);
CREATE TABLE waterings (
  id INTEGER NOT NULL,
  tree_id INTEGER NOT NULL,
  watered_on DATE NOT NULL,
  CONSTRAINT pk_waterings PRIMARY KEY (id),
  CONSTRAINT fk_waterings_tree_id FOREIGN KEY(tree_id) REFERENCES trees (id) ON DELETE CASCADE
);
CREATE UNIQUE INDEX ix_waterings_tree_id_watered_on ON waterings (tree_id, watered_on);
CREATE TABLE bench_sessions (
  id INTEGER NOT NULL,
  tree_id INTEGER NOT NULL,
  kind VARCHAR(20) NOT NULL,
  begun_at DATETIME NOT NULL,
  closed_at DATETIME,
  session_id INTEGER,
  CONSTRAINT pk_bench_sessions PRIMARY KEY (id),
  CONSTRAINT fk_bench_sessions_tree_id FOREIGN KEY(tree_id) REFERENCES trees (id) ON DELETE CASCADE,
  CONSTRAINT fk_bench_sessions_session_id FOREIGN KEY(session_id) REFERENCES root_sessions (id) ON DELETE SET NULL
);
CREATE INDEX ix_bench_sessions_session_id ON bench_sessions (session_id);
CREATE INDEX ix_bench_sessions_tree_id ON bench_sessions (tree_id);
CREATE TABLE care_tasks (
  id INTEGER NOT NULL,
  tree_id INTEGER NOT NULL,
  session_id INTEGER NOT NULL,
  due DATE NOT NULL,
  code VARCHAR(20) NOT NULL,
  text VARCHAR(200) NOT NULL,
  done_at DATETIME,
  composted_at DATETIME,
  CONSTRAINT pk_care_tasks PRIMARY KEY (id),
  CONSTRAINT fk_care_tasks_tree_id FOREIGN KEY(tree_id) REFERENCES trees (id) ON DELETE CASCADE,
  CONSTRAINT fk_care_tasks_session_id FOREIGN KEY(session_id) REFERENCES root_sessions (id) ON DELETE CASCADE
);
CREATE INDEX ix_care_tasks_done_at_due ON care_tasks (done_at, due);
CREATE INDEX ix_care_tasks_session_id ON care_tasks (session_id);
CREATE INDEX ix_care_tasks_tree_id ON care_tasks (tree_id);
CREATE TABLE photos (
  id INTEGER NOT NULL,
  tree_id INTEGER NOT NULL,
  session_id INTEGER,
  digest VARCHAR(64) NOT NULL,
  file_name VARCHAR(255) NOT NULL,
  media_type VARCHAR(40) NOT NULL,
  width INTEGER NOT NULL,
  height INTEGER NOT NULL,
  focal_length_35mm DOUBLE,
  taken_on DATE NOT NULL,
  kind VARCHAR(20) NOT NULL,
  simulated BOOLEAN NOT NULL,
  created_at DATETIME NOT NULL,
  composted_at DATETIME,
  CONSTRAINT pk_photos PRIMARY KEY (id),
  CONSTRAINT fk_photos_tree_id FOREIGN KEY(tree_id) REFERENCES trees (id) ON DELETE CASCADE,
  CONSTRAINT fk_photos_session_id FOREIGN KEY(session_id) REFERENCES root_sessions (id) ON DELETE SET NULL
);
CREATE INDEX ix_photos_digest ON photos (digest);
CREATE INDEX ix_photos_session_id ON photos (session_id);
CREATE INDEX ix_photos_tree_id_taken_on ON photos (tree_id, taken_on);
CREATE TABLE target_holds (
  id INTEGER NOT NULL,
  tree_id INTEGER NOT NULL,
  year INTEGER NOT NULL,
  allow VARCHAR(12) NOT NULL,
  why VARCHAR(200) NOT NULL,
  CONSTRAINT pk_target_holds PRIMARY KEY (id),
  CONSTRAINT uq_target_holds_tree_id UNIQUE (tree_id, year, allow),
  CONSTRAINT ck_target_holds_allow CHECK (allow IN ('none', 'session', 'final pot')),
  CONSTRAINT ck_target_holds_year CHECK (year BETWEEN 1900 AND 2300),
  CONSTRAINT fk_target_holds_tree_id FOREIGN KEY(tree_id) REFERENCES targets (tree_id) ON DELETE CASCADE
);
CREATE TABLE bench_entries (
  id VARCHAR(40) NOT NULL,
  bench_session_id INTEGER NOT NULL,
  number INTEGER NOT NULL,
  field VARCHAR(60) NOT NULL,
  value JSON,
  entered_at DATETIME NOT NULL,
  CONSTRAINT pk_bench_entries PRIMARY KEY (id),
  CONSTRAINT fk_bench_entries_bench_session_id FOREIGN KEY(bench_session_id) REFERENCES bench_sessions (id) ON DELETE CASCADE
);
CREATE INDEX ix_bench_entries_bench_session_id_entered_at ON bench_entries (bench_session_id, entered_at);
CREATE TABLE bench_photos (
  id VARCHAR(40) NOT NULL,
  bench_session_id INTEGER NOT NULL,
  photo_id INTEGER NOT NULL,
  step VARCHAR(20) NOT NULL,
  CONSTRAINT pk_bench_photos PRIMARY KEY (id),
  CONSTRAINT fk_bench_photos_bench_session_id FOREIGN KEY(bench_session_id) REFERENCES bench_sessions (id) ON DELETE CASCADE,
  CONSTRAINT fk_bench_photos_photo_id FOREIGN KEY(photo_id) REFERENCES photos (id) ON DELETE CASCADE
);
CREATE INDEX ix_bench_photos_bench_session_id ON bench_photos (bench_session_id);
CREATE INDEX ix_bench_photos_photo_id ON bench_photos (photo_id);
CREATE TABLE measurements (
  id INTEGER NOT NULL,
  tree_id INTEGER NOT NULL,
  photo_id INTEGER NOT NULL,
  measured_on DATE NOT NULL,
  "view" VARCHAR(10) NOT NULL,
  marks TEXT NOT NULL,
  top TEXT,
  side TEXT,
  revision INTEGER NOT NULL,
  turn_deg DOUBLE NOT NULL,
  confirmed_at DATETIME,
  updated_at DATETIME NOT NULL,
  composted_at DATETIME,
  CONSTRAINT pk_measurements PRIMARY KEY (id),
  CONSTRAINT ck_measurements_view CHECK (view IN ('top', 'side')),
  CONSTRAINT fk_measurements_tree_id FOREIGN KEY(tree_id) REFERENCES trees (id) ON DELETE CASCADE,
  CONSTRAINT uq_measurements_photo_id UNIQUE (photo_id),
  CONSTRAINT fk_measurements_photo_id FOREIGN KEY(photo_id) REFERENCES photos (id) ON DELETE CASCADE
);
CREATE INDEX ix_measurements_tree_id_measured_on ON measurements (tree_id, measured_on);
CREATE TABLE cut_decisions (
  id INTEGER NOT NULL,
  session_id INTEGER NOT NULL,
  root_id INTEGER NOT NULL,
  measurement_id INTEGER,
  decided_action VARCHAR(10),
  decided_part DOUBLE,
  why VARCHAR(300) NOT NULL,
  done_action VARCHAR(10) NOT NULL,
  done_part DOUBLE,
  share DOUBLE,
  azimuth_deg DOUBLE,
  CONSTRAINT pk_cut_decisions PRIMARY KEY (id),
  CONSTRAINT uq_cut_decisions_session_id UNIQUE (session_id, root_id),
  CONSTRAINT ck_cut_decisions_decided_action CHECK (decided_action IN ('keep', 'shorten', 'remove', 'halve', 'bend', 'watch')),
  CONSTRAINT ck_cut_decisions_decided_part CHECK (decided_part BETWEEN 0 AND 1),
  CONSTRAINT ck_cut_decisions_done_action CHECK (done_action IN ('keep', 'shorten', 'remove')),
  CONSTRAINT ck_cut_decisions_done_part CHECK (done_part BETWEEN 0 AND 1),
  CONSTRAINT ck_cut_decisions_share CHECK (share BETWEEN 0 AND 1),
  CONSTRAINT fk_cut_decisions_session_id FOREIGN KEY(session_id) REFERENCES root_sessions (id) ON DELETE CASCADE,
  CONSTRAINT fk_cut_decisions_root_id FOREIGN KEY(root_id) REFERENCES roots (id) ON DELETE CASCADE,
  CONSTRAINT fk_cut_decisions_measurement_id FOREIGN KEY(measurement_id) REFERENCES measurements (id) ON DELETE SET NULL
);
CREATE INDEX ix_cut_decisions_measurement_id ON cut_decisions (measurement_id);
CREATE INDEX ix_cut_decisions_root_id ON cut_decisions (root_id);
CREATE TABLE gap_plans (
  id INTEGER NOT NULL,
  tree_id INTEGER NOT NULL,
  first_root_id INTEGER NOT NULL,
  second_root_id INTEGER NOT NULL,
  method VARCHAR(20) NOT NULL,
  measurement_id INTEGER,
  CONSTRAINT pk_gap_plans PRIMARY KEY (id),
  CONSTRAINT uq_gap_plans_tree_id UNIQUE (tree_id, first_root_id, second_root_id),
  CONSTRAINT ck_gap_plans_method CHECK (method IN ('graft', 'fork', 'ground layer')),
  CONSTRAINT fk_gap_plans_tree_id FOREIGN KEY(tree_id) REFERENCES targets (tree_id) ON DELETE CASCADE,
  CONSTRAINT fk_gap_plans_first_root_id FOREIGN KEY(first_root_id) REFERENCES roots (id) ON DELETE CASCADE,
  CONSTRAINT fk_gap_plans_second_root_id FOREIGN KEY(second_root_id) REFERENCES roots (id) ON DELETE CASCADE,
  CONSTRAINT fk_gap_plans_measurement_id FOREIGN KEY(measurement_id) REFERENCES measurements (id) ON DELETE SET NULL
);
CREATE INDEX ix_gap_plans_first_root_id ON gap_plans (first_root_id);
CREATE INDEX ix_gap_plans_measurement_id ON gap_plans (measurement_id);
CREATE INDEX ix_gap_plans_second_root_id ON gap_plans (second_root_id);
CREATE TABLE root_findings (
  id INTEGER NOT NULL,
  session_id INTEGER NOT NULL,
  root_id INTEGER NOT NULL,
  measurement_id INTEGER,
  feeders INTEGER,
  condition VARCHAR(10),
  height VARCHAR(10),
  feeds TEXT,
  CONSTRAINT pk_root_findings PRIMARY KEY (id),
  CONSTRAINT uq_root_findings_session_id UNIQUE (session_id, root_id),
  CONSTRAINT ck_root_findings_feeders CHECK (feeders BETWEEN 0 AND 3),
  CONSTRAINT ck_root_findings_condition CHECK (condition IN ('sound', 'weak', 'dead')),
  CONSTRAINT ck_root_findings_height CHECK (height IN ('above', 'on', 'below')),
  CONSTRAINT fk_root_findings_session_id FOREIGN KEY(session_id) REFERENCES root_sessions (id) ON DELETE CASCADE,
  CONSTRAINT fk_root_findings_root_id FOREIGN KEY(root_id) REFERENCES roots (id) ON DELETE CASCADE,
  CONSTRAINT fk_root_findings_measurement_id FOREIGN KEY(measurement_id) REFERENCES measurements (id) ON DELETE SET NULL
);
CREATE INDEX ix_root_findings_measurement_id ON root_findings (measurement_id);
CREATE INDEX ix_root_findings_root_id ON root_findings (root_id);
CREATE TABLE root_regrowth (
  id INTEGER NOT NULL,
  tree_id INTEGER NOT NULL,
  root_id INTEGER NOT NULL,
  years INTEGER NOT NULL,
  measurement_id INTEGER,
  CONSTRAINT pk_root_regrowth PRIMARY KEY (id),
  CONSTRAINT uq_root_regrowth_tree_id UNIQUE (tree_id, root_id),
  CONSTRAINT ck_root_regrowth_years CHECK (years BETWEEN 1 AND 15),
  CONSTRAINT fk_root_regrowth_tree_id FOREIGN KEY(tree_id) REFERENCES targets (tree_id) ON DELETE CASCADE,
  CONSTRAINT fk_root_regrowth_root_id FOREIGN KEY(root_id) REFERENCES roots (id) ON DELETE CASCADE,
  CONSTRAINT fk_root_regrowth_measurement_id FOREIGN KEY(measurement_id) REFERENCES measurements (id) ON DELETE SET NULL
);
CREATE INDEX ix_root_regrowth_measurement_id ON root_regrowth (measurement_id);
CREATE INDEX ix_root_regrowth_root_id ON root_regrowth (root_id);
