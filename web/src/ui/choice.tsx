// One of several in a row of its own, with what it means.
import { Row } from "./parts";
import { Select } from "./select";

export function Choice<T extends string>(props: {
  label: string;
  hint?: string;
  value: T;
  options: readonly (readonly [T, string])[];
  onChange: (value: T) => void;
}) {
  const { hint, ...rest } = props;
  return (
    <Row label={props.label} hint={hint}>
      <Select {...rest} />
    </Row>
  );
}
