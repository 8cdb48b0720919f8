// A button that reads files of the user's: a JSON file, or several that belong together.
import { useRef } from "react";
import { Button } from "./parts";

export function JsonButton(props: {
  label: string;
  /** What the file is, for those who do not see it. */
  what: string;
  onRead: (text: string, name: string) => void;
}) {
  return (
    <FilesButton
      label={props.label}
      what={props.what}
      accept=".json"
      onFiles={([chosen]) => {
        chosen?.text().then((text) => props.onRead(text, chosen.name));
      }}
    />
  );
}

export function FilesButton(props: {
  label: string;
  /** What the files are, for those who do not see them. */
  what: string;
  accept: string;
  several?: boolean;
  onFiles: (files: File[]) => void;
}) {
  const input = useRef<HTMLInputElement>(null);
  return (
    <>
      <Button onClick={() => input.current?.click()}>{props.label}</Button>
      <input
        ref={input}
        type="file"
        accept={props.accept}
        multiple={props.several}
        aria-label={props.what}
        className="hidden"
        onChange={(e) => {
          props.onFiles([...(e.target.files ?? [])]);
          e.target.value = "";
        }}
      />
    </>
  );
}
