import { Choice } from './Choice';

/** One of two, each said in its own words: a yes or a no. */
export function Either({
  label,
  yes,
  no,
  noFirst = false,
  value,
  onChange,
}: {
  label: string;
  yes: string;
  no: string;
  /** The one that means no stands first. */
  noFirst?: boolean;
  value: boolean;
  onChange: (value: boolean) => void;
}) {
  const both = [{ value: 'yes', title: yes } as const, { value: 'no', title: no } as const];
  return (
    <Choice
      label={label}
      options={noFirst ? both.reverse() : both}
      value={value ? 'yes' : 'no'}
      onChange={(v) => onChange(v === 'yes')}
    />
  );
}
