-- +goose Up

-- What customers answered after a conversation, one row for each question. A remark is heard in the call's recording.
CREATE TABLE survey_answers (
  call_id uuid NOT NULL REFERENCES calls (id),
  question_id text NOT NULL,
  question text NOT NULL,                              -- as it was asked
  kind text NOT NULL CHECK (kind IN ('score', 'yes_no', 'remark')),
  value int NOT NULL DEFAULT 0,                        -- 0 to 10; 1 for yes; of a remark 0
  from_ms bigint NOT NULL DEFAULT 0,                   -- of a remark: from where in the recording
  long_ms bigint NOT NULL DEFAULT 0,
  at timestamptz NOT NULL,
  PRIMARY KEY (call_id, question_id)
);
CREATE INDEX survey_answers_at ON survey_answers (at);
