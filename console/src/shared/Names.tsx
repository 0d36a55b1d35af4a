/** A name, and the slug that is made of it until one writes another. */
import { useState } from 'react';
import { useFormContext } from 'react-hook-form';
import { TextInput } from './form';
import { slugOf } from './slugs';

export function Names(props: { hint: string; label?: string; nameHint?: string; columns?: number }) {
  const { hint, label = 'Name', nameHint, columns } = props;
  const { setValue } = useFormContext();
  const [own, setOwn] = useState(false);
  const width = columns ? { columns } : {};
  return (
    <>
      <TextInput
        name="name"
        label={label}
        {...width}
        {...(nameHint ? { hint: nameHint } : {})}
        onTyped={(text) => {
          if (!own) setValue('slug', slugOf(text));
        }}
      />
      <TextInput name="slug" label="Slug" {...width} hint={hint} onTyped={() => setOwn(true)} />
    </>
  );
}
